#include "regulation_lens.h"

#include "app/text.h"
#include "base/quantity.h"
#include "curve_words.h"
#include "render/theme.h"

namespace heron::app {

namespace conversion = study::conversion;

RegulationLens::RegulationLens(Desk* desk, QWidget* parent) : RowCurves(desk, parent, "regulation", "Output against load or line", 1) {
  bar_->add(
      "Over", "Against the load, a curve a line; or against the line, a curve a load", [this] { return QString(over_line_ ? "over line" : "over load"); },
      [this] {
        over_line_ = !over_line_;
        log_x_ = !over_line_;
        again();
      });
  bar_->add(
      "Axis", "By ratios or by differences", [this] { return QString(log_x_ ? "by ratio" : "as it is"); },
      [this] {
        log_x_ = !log_x_;
        again();
      });
  bar_->add(
      "Unit", "Volts, or per cent of the nominal", [this] { return QString(percent_ ? "per cent" : "volts"); },
      [this] {
        percent_ = !percent_;
        again();
      });
  bar_->refresh();
}

QString RegulationLens::lacks(const conversion::Rows& rows) const { return rows.empty() ? QString("No point lies within the limits of line and load.") : QString(); }

double RegulationLens::base(const conversion::Rows& rows, const conversion::Settings& settings) const {
  if (settings.nominal) return *settings.nominal;
  double sum = 0;
  for (const auto& r : rows) sum += r.vout();
  return rows.empty() ? 0 : sum / double(rows.size());
}

std::vector<DrawnCurve> RegulationLens::curves_of(int, const conversion::Rows& rows, const conversion::Settings& settings) const {
  std::vector<DrawnCurve> out;
  const double from = base(rows, settings), by = unit(from);
  const auto fill = [&](DrawnCurve& drawn, const conversion::Rows& of, conversion::Port along) {
    for (const auto& r : of) {
      if (log_x_ && !(r.at(along) > 0)) continue;
      drawn.x.push_back(r.at(along));
      drawn.y.push_back((r.vout() - from) * by);
      drawn.points.push_back(r.point);
    }
  };
  if (over_line_) {
    const auto curves = conversion::line_curves(rows);
    for (const auto& c : curves) {
      DrawnCurve drawn{.name = curve_words(c, curves), .x = {}, .y = {}};
      fill(drawn, c.rows, conversion::Port::vin);
      out.push_back(std::move(drawn));
    }
  } else {
    const auto curves = conversion::load_curves(rows);
    for (const auto& c : curves) {
      DrawnCurve drawn{.name = curve_words(c, curves), .x = {}, .y = {}};
      fill(drawn, c.rows, conversion::Port::iout);
      out.push_back(std::move(drawn));
    }
  }
  return out;
}

std::vector<LimitedCurve> RegulationLens::limited(int) const {
  if (over_line_) return {};
  const double from = base(shown_rows(), settings());
  return {{"output", "A", unit(from), -from}};
}

void RegulationLens::finish() {
  const double from = base(shown_rows(), settings());
  const auto what = settings().nominal ? "Output beyond " + text(format_quantity(from, "V", 4).plain()) : "Output beyond its mean, " + text(format_quantity(from, "V", 4).plain());
  render::measure_axis(plot_->yAxis, what, percent_ ? "%" : "V");
  render::measure_axis(plot_->xAxis, over_line_ ? "Input" : "Output current", over_line_ ? "V" : "A", log_x_);
  if (!settings().nominal || !settings().tolerance) return;
  const double most = percent_ ? 100 * *settings().tolerance : *settings().tolerance * std::abs(*settings().nominal);
  for (const double sign : {1.0, -1.0}) {
    const QVector<QPointF> line = {{1e-15, sign * most}, {1e15, sign * most}};
    items_ << new render::ForbiddenGround(plot_, plot_->axisRect(), line, sign > 0);
  }
}

/// The tolerance is in view where it is near.
void RegulationLens::frame() {
  FamilyOfCurves::frame();
  if (!settings().nominal || !settings().tolerance || shown_rows().empty()) return;
  const double most = percent_ ? 100 * *settings().tolerance : *settings().tolerance * std::abs(*settings().nominal);
  auto range = plot_->yAxis->range();
  if (most > 6 * std::max(std::abs(range.lower), std::abs(range.upper))) return;
  range.expand(QCPRange(-1.12 * most, 1.12 * most));
  plot_->yAxis->setRange(range);
}

}  // namespace heron::app
