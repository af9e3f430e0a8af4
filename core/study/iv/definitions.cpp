#include "study/iv/definitions.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "signal/curve.h"
#include "study/iv/diode.h"
#include "study/iv/loop.h"

namespace heron::study::iv {
namespace {

constexpr double kOhmic = 0.1, kSaturated = 0.5;  ///< lowest tenth and upper half of the voltage span

Value or_outside(std::optional<double> value, const char* what) {
  if (value) return *value;
  return no(std::string(what) + " lies outside the data");
}

Value loop(const View& v, bool opening) {
  const auto found = loop_of(v.curve);
  if (!found) return no("the curve goes one way only");
  return opening ? found->opening : found->area;
}

Value diode(const View& v, double Diode::*member) {
  const auto fit = fit_diode(v.curve, v.settings.temperature);
  if (!fit) return no(fit.error().message);
  return (*fit).*member;
}

/// Voltage and current with the power given off positive; nothing where no power is given off.
struct PowerCurve {
  std::vector<double> voltage, current;
  double isc = 0, voc = 0;
};
tl::expected<PowerCurve, std::string> source_of(const View& v) {
  constexpr double kSeen = 1e-6;  // of the largest current: less is the instrument's zero
  const auto dark = no("the curve gives off no power");
  PowerCurve out{.voltage = v.sorted.voltage, .current = v.sorted.current};
  auto isc = signal::interpolate(out.voltage, out.current, 0);
  if (!isc) return no("the curve does not reach 0 V");
  double largest = 0;
  for (const double i : out.current) largest = std::max(largest, std::abs(i));
  if (!(std::abs(*isc) > kSeen * largest)) return dark;
  if (*isc < 0)
    for (auto& i : out.current) i = -i;
  out.isc = std::abs(*isc);
  // The first fall through zero above 0 V.
  for (std::size_t k = 1; k < out.voltage.size(); ++k) {
    if (!(out.voltage[k] > 0) || !(out.current[k - 1] > 0) || out.current[k] > 0) continue;
    const double share = out.current[k - 1] / (out.current[k - 1] - out.current[k]);
    out.voc = out.voltage[k - 1] + share * (out.voltage[k] - out.voltage[k - 1]);
    break;
  }
  if (!(out.voc > 0))
    return no(out.current.back() > 0 && out.voltage.back() > 0 ? "the curve does not reach open circuit"
                                                               : "the curve gives off no power");
  return out;
}

struct MaximumPower {
  double voltage = 0, current = 0, power = 0;
};
tl::expected<MaximumPower, std::string> maximum_power(const View& v) {
  const auto s = source_of(v);
  if (!s) return tl::unexpected(s.error());
  std::size_t top = 0;
  const auto power = [&](std::size_t k) { return s->voltage[k] * s->current[k]; };
  for (std::size_t k = 0; k < s->voltage.size(); ++k)
    if (power(k) > power(top)) top = k;
  if (top == 0 || top + 1 >= s->voltage.size()) return no("the highest power lies at an end of the curve");
  const auto vertex = signal::parabola_vertex(s->voltage[top - 1], power(top - 1), s->voltage[top], power(top),
                                              s->voltage[top + 1], power(top + 1));
  MaximumPower out{s->voltage[top], s->current[top], power(top)};
  if (vertex && vertex->x > s->voltage[top - 1] && vertex->x < s->voltage[top + 1]) {
    out.voltage = vertex->x;
    out.power = vertex->y;
    out.current = vertex->y / vertex->x;
  }
  return out;
}

Value power_figure(const View& v, double MaximumPower::*member) {
  const auto p = maximum_power(v);
  if (!p) return no(p.error());
  return (*p).*member;
}

/// The points whose voltage lies in a share of the span, as columns.
Sorted part(const Sorted& s, double from, double to, std::size_t fewest) {
  Sorted out;
  if (s.voltage.size() < 2) return out;
  const double low = s.voltage.front(), span = s.voltage.back() - low;
  for (std::size_t k = 0; k < s.voltage.size(); ++k) {
    const double at = (s.voltage[k] - low) / span;
    const bool few = from == 0 && out.voltage.size() < fewest;
    if ((at < from - 1e-9 || at > to + 1e-9) && !few) continue;
    out.voltage.push_back(s.voltage[k]);
    out.current.push_back(s.current[k]);
  }
  return out;
}

Value knee(const View& v) {
  const auto low = part(v.sorted, 0, kOhmic, 2), high = part(v.sorted, kSaturated, 1, 2);
  const auto a = signal::fit_line(low.voltage, low.current), b = signal::fit_line(high.voltage, high.current);
  if (!a || !b) return no("too few points for two lines");
  if (!(std::abs(a->slope) > 3 * std::abs(b->slope))) return no("the curve does not bend over into a flat part");
  const double crossing = (b->intercept - a->intercept) / (a->slope - b->slope);
  if (!(crossing > v.sorted.voltage.front() && crossing < v.sorted.voltage.back()))
    return no("the two lines do not meet within the sweep");
  return crossing;
}

/// The highest slope and the voltage where it is.
struct Steepest {
  double slope = 0, voltage = 0, current = 0;
};
tl::expected<Steepest, std::string> steepest(const View& v) {
  std::optional<Steepest> out;
  for (const double at : v.sorted.voltage)
    if (const auto g = slope_at(v.sorted, at); g && (!out || std::abs(*g) > std::abs(out->slope)))
      out = Steepest{*g, at, current_at(v.sorted, at).value_or(0)};
  if (!out) return no("fewer than three points");
  if (out->slope == 0) return no("the current does not change");
  return *out;
}

Value threshold_extrapolated(const View& v) {
  const auto top = steepest(v);
  if (!top) return no(top.error());
  const auto drain = v.settings.drain_voltage ? v.settings.drain_voltage : v.curve.step;
  if (!drain) return no("the drain voltage is not known: set drain_voltage");
  const double crossing = top->voltage - top->current / top->slope;
  // In the linear region half the drain voltage stands between; in saturation the tangent meets the threshold itself.
  const double linear = crossing - *drain / 2;
  return std::abs(*drain) < std::abs(top->voltage - linear) ? linear : crossing;
}

Value threshold_constant(const View& v) {
  if (!v.settings.threshold_current) return no("the current is not given: set threshold_current");
  const double wanted =
      std::copysign(*v.settings.threshold_current, v.sorted.current.empty() ? 1 : v.sorted.current.back());
  return or_outside(voltage_at(v.sorted, wanted), "the threshold current");
}

Value early_voltage(const View& v) {
  const auto high = part(v.sorted, kSaturated, 1, 2);
  const auto line = signal::fit_line(high.voltage, high.current);
  if (!line || high.voltage.size() < 3) return no("too few points in the upper half of the span");
  if (line->slope == 0) return no("the current does not change with the voltage");
  return std::abs(line->intercept / line->slope);
}

const View* at_step(const std::vector<View>& views, double step) {
  const View* best = nullptr;
  for (const auto& v : views)
    if (v.curve.step && (!best || std::abs(*v.curve.step - step) < std::abs(*best->curve.step - step))) best = &v;
  const double allowed = 1e-6 * std::max(std::abs(step), 1e-30) + 1e-15;
  return best && std::abs(*best->curve.step - step) <= allowed ? best : nullptr;
}

}  // namespace

const std::vector<CurveFigure>& general_figures() {
  static const std::vector<CurveFigure> all = {
      {"current", "Current", "A", "V", Axis::output, true,
       [](const View& v, double x) { return or_outside(current_at(v.sorted, x), "the voltage"); }},
      {"voltage", "Voltage", "V", "A", Axis::output, true,
       [](const View& v, double x) { return or_outside(voltage_at(v.sorted, x), "the current"); }},
      {"resistance.dynamic", "Dynamic resistance", "ohm", "A", Axis::output, true,
       [](const View& v, double x) { return or_outside(resistance_at(v.sorted, x), "the current"); }},
      {"conductance.output", "Output conductance", "S", "V", Axis::output, false,
       [](const View& v, double x) { return or_outside(slope_at(v.sorted, x), "the voltage"); }},
      {"loop.opening", "Opening of the loop", "1", nullptr, Axis::output, true,
       [](const View& v, double) { return loop(v, true); }},
      {"loop.area", "Area of the loop", "W", nullptr, Axis::output, true,
       [](const View& v, double) { return loop(v, false); }}};
  return all;
}

const std::vector<CurveFigure>& junction_figures() {
  static const std::vector<CurveFigure> all = {
      {"diode.ideality", "Ideality", "1", nullptr, Axis::output, false,
       [](const View& v, double) { return diode(v, &Diode::ideality); }},
      {"diode.saturation_current", "Saturation current", "A", nullptr, Axis::output, false,
       [](const View& v, double) { return diode(v, &Diode::saturation_current); }},
      {"diode.series_resistance", "Series resistance", "ohm", nullptr, Axis::output, false,
       [](const View& v, double) { return diode(v, &Diode::series_resistance); }},
      {"fit.residual", "Residual of the fit", "V", nullptr, Axis::output, false,
       [](const View& v, double) { return diode(v, &Diode::residual); }},
      {"pv.voc", "Open-circuit voltage", "V", nullptr, Axis::output, false,
       [](const View& v, double) -> Value {
         const auto s = source_of(v);
         if (!s) return no(s.error());
         return s->voc;
       }},
      {"pv.isc", "Short-circuit current", "A", nullptr, Axis::output, false,
       [](const View& v, double) -> Value {
         const auto s = source_of(v);
         if (!s) return no(s.error());
         return s->isc;
       }},
      {"pv.vmp", "Voltage at maximum power", "V", nullptr, Axis::output, false,
       [](const View& v, double) { return power_figure(v, &MaximumPower::voltage); }},
      {"pv.imp", "Current at maximum power", "A", nullptr, Axis::output, false,
       [](const View& v, double) { return power_figure(v, &MaximumPower::current); }},
      {"pv.pmp", "Maximum power", "W", nullptr, Axis::output, false,
       [](const View& v, double) { return power_figure(v, &MaximumPower::power); }},
      {"pv.fill_factor", "Fill factor", "1", nullptr, Axis::output, false, [](const View& v, double) -> Value {
         const auto s = source_of(v);
         const auto p = maximum_power(v);
         if (!p) return no(p.error());
         return p->power / (s->voc * s->isc);
       }}};
  return all;
}

const std::vector<CurveFigure>& transistor_figures() {
  static const std::vector<CurveFigure> all = {
      {"knee.voltage", "Knee", "V", nullptr, Axis::output, false, [](const View& v, double) { return knee(v); }},
      {"threshold.extrapolated", "Threshold, extrapolated", "V", nullptr, Axis::transfer, false,
       [](const View& v, double) { return threshold_extrapolated(v); }},
      {"threshold.constant", "Threshold at a current", "V", nullptr, Axis::transfer, false,
       [](const View& v, double) { return threshold_constant(v); }},
      {"transconductance.max", "Highest transconductance", "S", nullptr, Axis::transfer, false,
       [](const View& v, double) -> Value {
         const auto top = steepest(v);
         if (!top) return no(top.error());
         return std::abs(top->slope);
       }}};
  return all;
}

const std::vector<FamilyFigure>& family_figures() {
  static const std::vector<FamilyFigure> all = {
      {"early_voltage",
       "Early voltage",
       "V",
       {},
       Axis::output,
       [](const std::vector<View>& views, const std::vector<double>&) -> Value {
         double sum = 0;
         int n = 0;
         std::string reason = "there is no curve whose step is other than zero";
         for (const auto& v : views) {
           if (!v.curve.step || *v.curve.step == 0) continue;
           const auto one = early_voltage(v);
           if (!one) {
             reason = one.error();
             continue;
           }
           sum += *one;
           ++n;
         }
         if (n == 0) return no(reason);
         return sum / n;
       }},
      {"gain.current",
       "Current gain",
       "1",
       {"V", "A"},
       Axis::output,
       [](const std::vector<View>& views, const std::vector<double>& p) -> Value {
         std::vector<double> steps, currents;
         for (const auto& v : views) {
           const auto i = current_at(v.sorted, p[0]);
           if (!v.curve.step || !i) continue;
           steps.push_back(*v.curve.step);
           currents.push_back(*i);
         }
         if (p[1] == 0) return no("no current goes in");
         if (steps.empty()) return no("no curve with a step reaches that voltage");
         if (const auto* exact = at_step(views, p[1]))
           if (const auto i = current_at(exact->sorted, p[0])) return *i / p[1];
         const auto i = steps.size() > 1 ? signal::interpolate(steps, currents, p[1]) : std::nullopt;
         if (!i) return no("the step lies outside the family");
         return *i / p[1];
       }},
      {"resistance.on",
       "On resistance",
       "ohm",
       {"V"},
       Axis::output,
       [](const std::vector<View>& views, const std::vector<double>& p) -> Value {
         const auto* v = at_step(views, p[0]);
         if (!v) return no("there is no curve of that step");
         // Through zero, over the lowest tenth of the span and at least the three points nearest to 0 V.
         std::vector<std::pair<double, double>> points;
         double span = 0;
         for (std::size_t k = 0; k < v->sorted.voltage.size(); ++k) {
           points.emplace_back(v->sorted.voltage[k], v->sorted.current[k]);
           span = std::max(span, std::abs(v->sorted.voltage[k]));
         }
         std::sort(points.begin(), points.end(),
                   [](const auto& a, const auto& b) { return std::abs(a.first) < std::abs(b.first); });
         double vi = 0, ii = 0;
         for (std::size_t k = 0; k < points.size(); ++k) {
           const auto [volts, amps] = points[k];
           if (k >= 3 && std::abs(volts) > kOhmic * span) break;
           vi += volts * amps;
           ii += amps * amps;
         }
         if (!(ii > 0)) return no("no current flows near 0 V");
         return vi / ii;
       }}};
  return all;
}

}  // namespace heron::study::iv
