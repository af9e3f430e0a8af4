#include "row_curves.h"

namespace heron::app {

namespace conversion = study::conversion;

RowCurves::RowCurves(Desk* desk, QWidget* parent, const char* object, const QString& accessible, int panels)
    : FamilyOfCurves(desk, parent, object, accessible, panels, [](const TakeView& view) -> std::any {
        const auto* reduced = conversion_of(&view);
        const auto settings = conversion::settings_from_text(view.analysis.settings);
        if (!reduced || !settings) return {};
        return Rows{conversion::within_limits(reduced->rows(), *settings), *settings};
      }) {}

const RowCurves::Rows& RowCurves::shown() const {
  static const Rows none;
  const auto* rows = std::any_cast<Rows>(&shown_);
  return rows ? *rows : none;
}
const conversion::Rows& RowCurves::shown_rows() const { return shown().rows; }
const conversion::Settings& RowCurves::settings() const { return shown().settings; }

std::vector<DrawnCurve> RowCurves::curves_of(int panel, const std::any& of) const {
  const auto& rows = std::any_cast<const Rows&>(of);
  return curves_of(panel, rows.rows, rows.settings);
}
QString RowCurves::lacks(const std::any& of) const { return lacks(std::any_cast<const Rows&>(of).rows); }

}  // namespace heron::app
