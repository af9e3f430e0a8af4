#include "study/iv/fits.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "signal/curve.h"
#include "study/iv/definitions.h"
#include "study/iv/diode.h"

namespace heron::study::iv {
namespace {

/// A straight line in enough points that it is one on a log axis too.
std::vector<std::pair<double, double>> straight(double from, double to, double intercept, double slope) {
  constexpr int kPoints = 80;
  std::vector<std::pair<double, double>> out;
  for (int k = 0; k <= kPoints; ++k) {
    const double v = from + (to - from) * k / kPoints;
    out.emplace_back(v, intercept + slope * v);
  }
  return out;
}

std::string three(double value, const char* unit) { return format_quantity(value, unit, 3).plain(); }

void add_junction(const Family& family, const Curve& curve, const Settings& settings, std::vector<FitLine>& out) {
  const double temperature = junction_temperature(family, settings);
  const auto fit = fit_diode(sorted(curve), temperature);
  if (!fit) return;
  FitLine one{.words = fmt::format("n {}, Is {}, Rs {}; residual {} over {} to {}", three(fit->ideality, "1"),
                                   three(fit->saturation_current, "A"), three(fit->series_resistance, "ohm"),
                                   three(fit->residual, "V"), three(fit->lowest, "A"), three(fit->highest, "A")),
              .line = {}};
  const double vt = thermal_voltage(temperature);
  constexpr int kPoints = 120;
  for (int k = 0; k <= kPoints; ++k) {
    const double i = fit->lowest * std::pow(fit->highest / fit->lowest, double(k) / kPoints);
    one.line.emplace_back(fit->ideality * vt * std::log1p(i / fit->saturation_current) + i * fit->series_resistance, i);
  }
  one.from = one.line.front().first;
  one.to = one.line.back().first;
  out.push_back(std::move(one));
}

/// Least squares through the upper half of the voltage span, as the Early voltage is read.
void add_saturated(const Family& family, const Curve& curve, std::vector<FitLine>& out) {
  if (!curve.step || *curve.step == 0) return;
  const auto s = sorted(curve);
  if (s.voltage.size() < 6) return;
  const double middle = (s.voltage.front() + s.voltage.back()) / 2;
  std::vector<double> v, i;
  for (std::size_t k = 0; k < s.voltage.size(); ++k)
    if (s.voltage[k] >= middle) {
      v.push_back(s.voltage[k]);
      i.push_back(s.current[k]);
    }
  const auto line = signal::fit_line(v, i);
  if (!line || v.size() < 3) return;
  double squares = 0;
  for (std::size_t k = 0; k < v.size(); ++k) squares += std::pow(i[k] - line->intercept - line->slope * v[k], 2);
  FitLine one{.words = fmt::format("{}: {} per volt, meets zero at {}; residual {} over {} to {}",
                                   format_setting(*curve.step, family.step_unit), three(line->slope, "S"),
                                   line->slope != 0 ? three(-line->intercept / line->slope, "V") : "no voltage",
                                   three(std::sqrt(squares / double(v.size())), "A"), three(v.front(), "V"),
                                   three(v.back(), "V")),
              .from = v.front(),
              .to = v.back()};
  one.line = straight(s.voltage.front(), v.back(), line->intercept, line->slope);
  out.push_back(std::move(one));
}

void add_tangent(const Curve& curve, std::vector<FitLine>& out) {
  const auto s = sorted(curve);
  double steepest = 0, at = 0;
  for (const double v : s.voltage)
    if (const auto g = slope_at(s, v); g && std::abs(*g) > std::abs(steepest)) {
      steepest = *g;
      at = v;
    }
  const auto i = steepest != 0 ? current_at(s, at) : std::nullopt;
  if (!i) return;
  const double crossing = at - *i / steepest, end = s.voltage.back();
  out.push_back({.words = fmt::format("gm {} at {}; the tangent meets zero at {}", three(std::abs(steepest), "S"),
                                      three(at, "V"), three(crossing, "V")),
                 .line = straight(crossing, end, -crossing * steepest, steepest),
                 .from = at,
                 .to = at});
}

}  // namespace

std::vector<FitLine> fits_of(const Family& family, const Settings& settings) {
  std::vector<FitLine> out;
  for (const auto& curve : family.curves) {
    if (settings.axis == Axis::transfer)
      add_tangent(curve, out);
    else if (family.curves.size() > 1)
      add_saturated(family, curve, out);
    else
      add_junction(family, curve, settings, out);
  }
  return out;
}

}  // namespace heron::study::iv
