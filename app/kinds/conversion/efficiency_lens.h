#pragma once
#include "row_curves.h"

namespace heron::app {

/// Efficiency over output current, one curve a line, frequency and temperature; below it the loss, on wish in its fixed,
/// proportional and square-law parts.
class EfficiencyLens : public RowCurves {
  Q_OBJECT

 public:
  explicit EfficiencyLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  std::vector<DrawnCurve> curves_of(int panel, const study::conversion::Rows& rows, const study::conversion::Settings& settings) const override;
  QString lacks(const study::conversion::Rows& rows) const override;
  std::vector<LimitedCurve> limited(int panel) const override { return {panel == 0 ? LimitedCurve{"efficiency", "A", 100} : LimitedCurve{"loss", "A"}}; }
  void finish() override;
  QCPRange bounds(int panel) const override;

 private:
  bool parts_ = false;
};

}  // namespace heron::app
