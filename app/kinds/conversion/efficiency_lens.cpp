#include "efficiency_lens.h"

#include "app/text.h"
#include "base/quantity.h"
#include "curve_words.h"
#include "render/theme.h"
#include "study/conversion/loss_split.h"

namespace heron::app {

namespace conversion = study::conversion;

EfficiencyLens::EfficiencyLens(Desk* desk, QWidget* parent) : RowCurves(desk, parent, "efficiency", "Efficiency and loss over output current", 2) {
  bar_->add(
      "Axis", "Loads by their ratios or by their differences", [this] { return QString(log_x_ ? "loads by ratio" : "loads as they are"); },
      [this] {
        log_x_ = !log_x_;
        again();
      });
  bar_->add(
      "Loss", "The loss as it was read, or with its fixed, proportional and square-law parts beside it", [this] { return QString(parts_ ? "loss in its parts" : "loss as read"); },
      [this] {
        parts_ = !parts_;
        again();
      });
  bar_->refresh();
}

QString EfficiencyLens::lacks(const conversion::Rows& rows) const {
  if (rows.empty()) return "No point lies within the limits of line and load.";
  const bool loaded = std::any_of(rows.begin(), rows.end(), [](const conversion::Row& r) { return r.iout() > 0; });
  return loaded ? QString() : QString("Nothing was loaded: no power went out.");
}

std::vector<DrawnCurve> EfficiencyLens::curves_of(int panel, const conversion::Rows& rows, const conversion::Settings& settings) const {
  std::vector<DrawnCurve> out;
  const auto curves = conversion::load_curves(rows);
  for (const auto& c : curves) {
    DrawnCurve drawn{.name = curve_words(c, curves), .x = {}, .y = {}};
    for (const auto& r : c.rows) {
      if (r.input_power() == 0 || (log_x_ && !(r.iout() > 0))) continue;
      drawn.x.push_back(r.iout());
      drawn.y.push_back(panel == 0 ? 100 * r.efficiency() : r.loss());
      drawn.points.push_back(r.point);
      const auto v = conversion::with_u({r}, [panel](const conversion::Rows& one) { return panel == 0 ? 100 * one[0].efficiency() : one[0].loss(); });
      drawn.u.push_back(v.u());
    }
    out.push_back(std::move(drawn));
    if (panel == 0 || !parts_) continue;
    const auto split = conversion::loss_split(c);
    if (!split) continue;
    const std::pair<const char*, std::function<double(double)>> parts[] = {{"fixed", [&](double) { return split->fixed.value; }},
                                                                           {"proportional", [&](double i) { return split->linear.value * i; }},
                                                                           {"by the square", [&](double i) { return split->square.value * i * i; }}};
    for (const auto& [name, of] : parts) {
      DrawnCurve part{.name = curves.size() == 1 ? QString(name) : QString(), .x = {}, .y = {}, .fitted = true};
      for (const auto& r : c.rows) {
        if (log_x_ && !(r.iout() > 0)) continue;
        part.x.push_back(r.iout());
        part.y.push_back(of(r.iout()));
      }
      out.push_back(std::move(part));
    }
  }
  if (panel == 0 && !settings.expected.empty()) {
    DrawnCurve promised{.name = "data sheet", .x = {}, .y = {}, .fitted = true, .promised = true};
    for (const auto& [current, percent] : settings.expected) {
      promised.x.push_back(current);
      promised.y.push_back(percent);
    }
    out.push_back(std::move(promised));
  }
  return out;
}

/// What no converter has lies outside, as far as it may be read there.
QCPRange EfficiencyLens::bounds(int panel) const { return panel == 0 ? QCPRange(0, 100) : FamilyOfCurves::bounds(panel); }

void EfficiencyLens::finish() {
  render::measure_axis(rects_[0]->axis(QCPAxis::atLeft), "Efficiency", "%");
  render::measure_axis(rects_[1]->axis(QCPAxis::atLeft), "Loss", "W");
  render::measure_axis(rects_[1]->axis(QCPAxis::atBottom), "Output current", "A", log_x_);
}

}  // namespace heron::app
