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
  // A junction that is connected the other way round is read as its twin.
  if (!v.junction) v.junction = fit_diode(upright(v.sorted), junction_temperature(v.family, v.settings));
  if (!*v.junction) return no(v.junction->error().message);
  return (**v.junction).*member;
}

/// Current that a reading may have from noise alone.
double unsure(const Sorted& s, std::size_t k) {
  constexpr double kClear = 5;
  return s.certain() ? kClear * s.u_current[k] : 0;
}

/// Voltage and current of a source with the current out of it positive; nothing where no power is given off.
struct PowerCurve {
  std::vector<double> voltage, current;
  std::optional<double> isc, voc;
};
tl::expected<PowerCurve, std::string> source_of(const View& v) {
  constexpr double kSeen = 1e-6;  // of the largest current: less is the instrument's zero
  const auto dark = no("the curve gives off no power");
  PowerCurve out{.voltage = v.sorted.voltage, .current = v.sorted.current, .isc = {}, .voc = {}};
  const auto isc = signal::interpolate(out.voltage, out.current, 0);
  double largest = 0;
  for (const double i : out.current) largest = std::max(largest, std::abs(i));
  // The current where the voltage is lowest, but not below zero: at short circuit, or as near to it as the curve goes.
  const auto at = std::size_t(std::lower_bound(out.voltage.begin(), out.voltage.end(), 0) - out.voltage.begin());
  if (at + 1 >= out.voltage.size()) return dark;
  const double first = isc.value_or(out.current[at]);
  if (!(std::abs(first) > kSeen * largest) || std::abs(first) <= unsure(v.sorted, at)) return dark;
  if (first < 0)
    for (auto& i : out.current) i = -i;
  // What takes power takes more as the voltage rises; a source gives less.
  if (!(out.current.back() < std::abs(first) - unsure(v.sorted, out.current.size() - 1))) return dark;
  if (isc) out.isc = std::abs(*isc);
  // The first fall through zero above 0 V.
  for (std::size_t k = 1; k < out.voltage.size(); ++k) {
    if (!(out.voltage[k] > 0) || !(out.current[k - 1] > 0) || out.current[k] > 0) continue;
    const double share = out.current[k - 1] / (out.current[k - 1] - out.current[k]);
    out.voc = out.voltage[k - 1] + share * (out.voltage[k] - out.voltage[k - 1]);
    break;
  }
  return out;
}

Value short_circuit(const View& v) {
  const auto s = source_of(v);
  if (!s) return no(s.error());
  return s->isc ? Value(*s->isc) : Value(no("the curve does not reach 0 V"));
}

Value open_circuit(const View& v) {
  const auto s = source_of(v);
  if (!s) return no(s.error());
  return s->voc ? Value(*s->voc) : Value(no("the curve does not reach open circuit"));
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

Value fill_factor(const View& v) {
  const auto s = source_of(v);
  if (!s) return no(s.error());
  const auto p = maximum_power(v);
  if (!p) return no(p.error());
  const auto isc = short_circuit(v), voc = open_circuit(v);
  if (!isc) return isc;
  if (!voc) return voc;
  const double share = p->power / (*voc * *isc);
  // No source gives more than its open-circuit voltage at its short-circuit current.
  if (share > 1) return no("the points lie too far apart to tell it: it would come out above 1");
  return share;
}

/// How much a point beyond a border counts: all of it at the border, none one step of the sweep beyond, so that a point
/// that noise puts on one side or the other moves nothing by a leap.
double beyond(double by, double step) { return by <= 0 ? 1 : step > 0 ? std::max(0.0, 1 - by / step) : 0; }

/// A stretch of the voltage span, given as shares of it.
struct Part {
  std::vector<double> voltage, current, weight;
};
Part part(const Sorted& s, double from, double to, std::size_t fewest) {
  Part out;
  const auto n = s.voltage.size();
  if (n < 2) return out;
  const double base = s.voltage.front(), span = s.voltage.back() - base;
  double low = base + from * span, high = base + to * span;
  // The lowest part reaches as far as it must to hold enough points.
  if (from == 0 && fewest <= n) high = std::max(high, s.voltage[fewest - 1]);
  for (std::size_t k = 0; k < n; ++k) {
    const double weight = beyond(low - s.voltage[k], k + 1 < n ? s.voltage[k + 1] - s.voltage[k] : 0) *
                          beyond(s.voltage[k] - high, k > 0 ? s.voltage[k] - s.voltage[k - 1] : 0);
    if (!(weight > 1e-9)) continue;
    out.voltage.push_back(s.voltage[k]);
    out.current.push_back(s.current[k]);
    out.weight.push_back(weight);
  }
  return out;
}

std::optional<signal::Line> line_of(const Part& p) { return signal::fit_line(p.voltage, p.current, p.weight); }

Value knee(const View& v) {
  const auto s = upright(v.sorted);
  const auto a = line_of(part(s, 0, kOhmic, 2)), b = line_of(part(s, kSaturated, 1, 2));
  if (!a || !b) return no("too few points for two lines");
  if (!(std::abs(a->slope) > 3 * std::abs(b->slope))) return no("the curve does not bend over into a flat part");
  const double crossing = (b->intercept - a->intercept) / (a->slope - b->slope);
  if (!(crossing > s.voltage.front() && crossing < s.voltage.back()))
    return no("the two lines do not meet within the sweep");
  return s.mirrored ? -crossing : crossing;
}

/// The highest slope and the voltage where it is.
struct Steepest {
  double slope = 0, voltage = 0, current = 0;
};
tl::expected<Steepest, std::string> steepest(const Sorted& s) {
  std::optional<Steepest> out;
  for (const double at : s.voltage)
    if (const auto g = slope_at(s, at); g && (!out || std::abs(*g) > std::abs(out->slope)))
      out = Steepest{*g, at, current_at(s, at).value_or(0)};
  if (!out) return no("fewer than three points");
  if (out->slope == 0) return no("the current does not change");
  return *out;
}

Value threshold_extrapolated(const View& v) {
  const auto s = upright(v.sorted);
  const auto top = steepest(s);
  if (!top) return no(top.error());
  const auto drain = v.settings.drain_voltage ? v.settings.drain_voltage : v.curve.step;
  if (!drain) return no("the drain voltage is not known: set drain_voltage");
  const double crossing = top->voltage - top->current / top->slope;
  // In the linear region half the drain voltage stands between; in saturation the tangent meets the threshold itself.
  const double across = std::abs(*drain), linear = crossing - across / 2;
  const double threshold = across < top->voltage - linear ? linear : crossing;
  return s.mirrored ? -threshold : threshold;
}

Value threshold_constant(const View& v) {
  if (!v.settings.threshold_current) return no("the current is not given: set threshold_current");
  const double wanted =
      std::copysign(*v.settings.threshold_current, v.sorted.current.empty() ? 1 : v.sorted.current.back());
  return or_outside(voltage_at(v.sorted, wanted), "the threshold current");
}

Value early_voltage(const View& v) {
  const auto high = part(upright(v.sorted), kSaturated, 1, 2);
  const auto line = line_of(high);
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

double junction_temperature(const Family& family, const Settings& settings) {
  constexpr double kRoom = 300.15;
  return settings.temperature.value_or(family.temperature.value_or(kRoom));
}

bool is_source(const View& view) { return source_of(view).has_value(); }

const std::vector<CurveFigure>& general_figures() {
  static const std::vector<CurveFigure> all = {
      {"current", "Current", "A", "V", Axis::output, true,
       [](const View& v, double x) { return or_outside(current_at(v.sorted, x), "the voltage"); }, Rests::between},
      {"voltage", "Voltage", "V", "A", Axis::output, true,
       [](const View& v, double x) { return or_outside(voltage_at(v.sorted, x), "the current"); }, Rests::between},
      {"resistance.dynamic", "Dynamic resistance", "ohm", "A", Axis::output, true,
       [](const View& v, double x) { return or_outside(resistance_at(v.sorted, x), "the current"); }, Rests::between},
      {"conductance.output", "Output conductance", "S", "V", Axis::output, false,
       [](const View& v, double x) { return or_outside(slope_at(v.sorted, x), "the voltage"); }},
      {"loop.opening", "Opening of the loop", "1", nullptr, Axis::output, true,
       [](const View& v, double) { return loop(v, true); }, Rests::ways},
      {"loop.area", "Area of the loop", "W", nullptr, Axis::output, true,
       [](const View& v, double) { return loop(v, false); }, Rests::ways}};
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
       [](const View& v, double) { return open_circuit(v); }, Rests::between},
      {"pv.isc", "Short-circuit current", "A", nullptr, Axis::output, false,
       [](const View& v, double) { return short_circuit(v); }, Rests::between},
      {"pv.vmp", "Voltage at maximum power", "V", nullptr, Axis::output, false,
       [](const View& v, double) { return power_figure(v, &MaximumPower::voltage); }, Rests::between, true},
      {"pv.imp", "Current at maximum power", "A", nullptr, Axis::output, false,
       [](const View& v, double) { return power_figure(v, &MaximumPower::current); }, Rests::between, true},
      {"pv.pmp", "Maximum power", "W", nullptr, Axis::output, false,
       [](const View& v, double) { return power_figure(v, &MaximumPower::power); }, Rests::between, true},
      {"pv.fill_factor", "Fill factor", "1", nullptr, Axis::output, false,
       [](const View& v, double) { return fill_factor(v); }, Rests::between, true}};
  return all;
}

const std::vector<CurveFigure>& transistor_figures() {
  static const std::vector<CurveFigure> all = {
      {"knee.voltage", "Knee", "V", nullptr, Axis::output, false, [](const View& v, double) { return knee(v); }},
      {"threshold.extrapolated", "Threshold, extrapolated", "V", nullptr, Axis::transfer, false,
       [](const View& v, double) { return threshold_extrapolated(v); }, Rests::points, true},
      {"threshold.constant", "Threshold at a current", "V", nullptr, Axis::transfer, false,
       [](const View& v, double) { return threshold_constant(v); }, Rests::between},
      {"transconductance.max", "Highest transconductance", "S", nullptr, Axis::transfer, false,
       [](const View& v, double) -> Value {
         const auto top = steepest(v.sorted);
         if (!top) return no(top.error());
         return std::abs(top->slope);
       },
       Rests::points, true}};
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
       },
       Rests::points,
       true},
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
       },
       Rests::between},
      {"resistance.on",
       "On resistance",
       "ohm",
       {"V"},
       Axis::output,
       [](const std::vector<View>& views, const std::vector<double>& p) -> Value {
         const auto* v = at_step(views, p[0]);
         if (!v) return no("there is no curve of that step");
         // Through zero, over the lowest tenth of the span and at least the three points nearest to 0 V; each counts by
         // how much of what it stands for lies inside.
         std::vector<std::pair<double, double>> points;
         double span = 0;
         for (std::size_t k = 0; k < v->sorted.voltage.size(); ++k) {
           const double sign = v->sorted.voltage[k] < 0 ? -1 : 1;
           points.emplace_back(sign * v->sorted.voltage[k], sign * v->sorted.current[k]);
           span = std::max(span, points.back().first);
         }
         std::sort(points.begin(), points.end());
         const double high = std::max(kOhmic * span, points[std::min<std::size_t>(2, points.size() - 1)].first);
         double vi = 0, ii = 0;
         for (std::size_t k = 0; k < points.size(); ++k) {
           const auto [volts, amps] = points[k];
           const double weight = beyond(volts - high, k > 0 ? volts - points[k - 1].first : 0);
           vi += weight * volts * amps;
           ii += weight * amps * amps;
         }
         if (!(ii > 0)) return no("no current flows near 0 V");
         return vi / ii;
       }}};
  return all;
}

}  // namespace heron::study::iv
