#include <cmath>
#include <numbers>

#include "base/conversions.h"
#include "base/quantity.h"
#include "signal/curve.h"
#include "study/response/definitions.h"

namespace heron::study::response {
namespace {

using Complex = std::complex<double>;

/// Where the reactance goes through zero, upwards, downwards or either way, after a frequency.
std::optional<double> zero_crossing(const CurveColumns& c, int way, double after = 0) {
  const auto reactance = [&](std::size_t i) { return std::pow(10, c.gain[i] / 20) * std::sin(c.phase[i] / kDegrees); };
  for (std::size_t i = 0; i + 1 < c.f.size(); ++i) {
    const double a = reactance(i), b = reactance(i + 1);
    if (!((a < 0 && b >= 0 && way >= 0) || (a > 0 && b <= 0 && way <= 0))) continue;
    const double at = std::pow(10, c.lg[i] + (c.lg[i + 1] - c.lg[i]) * a / (a - b));
    if (at > after) return at;
  }
  return std::nullopt;
}

Value crossing_figure(const CurveColumns& c, int way, double after = 0) {
  if (!c.has_phase) return no("the data have no phase");
  const auto at = zero_crossing(c, way, after);
  return at ? Value(*at) : Value(no("the phase does not cross zero within the sweep"));
}

Value resonance_impedance(const CurveColumns& c) {
  const auto at = crossing_figure(c, 0);
  if (!at) return at;
  return c.value(*at)->real();
}

Value resonance_height(const CurveColumns& c) {
  const auto z = resonance_impedance(c);
  if (!z) return z;
  return 20 * std::log10(*z) - c.gain.front();
}

Value parallel_resonance(const CurveColumns& c) {
  const auto series = crossing_figure(c, 1);
  if (!series) return no("there is no series resonance within the sweep");
  return crossing_figure(c, -1, *series);
}

struct At {
  std::string_view name, label, unit;
  Value (*read)(Complex z, double w);
  bool angle = false;
};

Value positive(double value, const char* otherwise) { return value > 0 ? Value(value) : Value(no(otherwise)); }

constexpr At kAt[] = {
    {"impedance", "|Z|", "ohm", [](Complex z, double) -> Value { return std::abs(z); }},
    {"angle", "Angle", "deg", [](Complex z, double) -> Value { return std::arg(z) * kDegrees; }, true},
    {"resistance.series", "Series R", "ohm", [](Complex z, double) -> Value { return z.real(); }},
    {"reactance.series", "Series X", "ohm", [](Complex z, double) -> Value { return z.imag(); }},
    {"inductance.series", "Series L", "H",
     [](Complex z, double w) { return positive(z.imag() / w, "the part is capacitive there"); }},
    {"capacitance.series", "Series C", "F",
     [](Complex z, double w) { return positive(-1 / (w * z.imag()), "the part is inductive there"); }},
    {"resistance.parallel", "Parallel R", "ohm", [](Complex z, double) -> Value { return 1 / (1.0 / z).real(); }},
    {"inductance.parallel", "Parallel L", "H",
     [](Complex z, double w) { return positive(-1 / (w * (1.0 / z).imag()), "the part is capacitive there"); }},
    {"capacitance.parallel", "Parallel C", "F",
     [](Complex z, double w) { return positive((1.0 / z).imag() / w, "the part is inductive there"); }},
    {"q", "Q", "1", [](Complex z, double) -> Value { return std::abs(z.imag()) / z.real(); }},
    {"dissipation", "Dissipation", "1", [](Complex z, double) -> Value { return z.real() / std::abs(z.imag()); }},
};

}  // namespace

std::optional<Complex> CurveColumns::value(double frequency) const {
  const double at = std::log10(frequency);
  const auto i = signal::segment_of(lg, at);
  if (!i) return std::nullopt;
  const auto point = [&](std::size_t k) { return std::polar(std::pow(10, gain[k] / 20), phase[k] / kDegrees); };
  const double share = (at - lg[*i]) / (lg[*i + 1] - lg[*i]);
  return point(*i) * (1 - share) + point(*i + 1) * share;
}

const std::vector<Definition>& impedance_figures() {
  static const std::vector<Definition> all = {
      {"resonance.frequency", "Resonance", "Hz", [](auto& c, auto&) { return crossing_figure(c, 0); }, itself},
      {"resonance.impedance", "Impedance at resonance", "ohm", [](auto& c, auto&) { return resonance_impedance(c); },
       [](auto& c, auto&, double) { return std::vector{*crossing_figure(c, 0)}; }},
      {"resonance.height", "Height of the resonance", "dB", [](auto& c, auto&) { return resonance_height(c); },
       [](auto& c, auto&, double) {
         return std::vector{c.f.front(), *crossing_figure(c, 0)};
       }},
      {"resonance.series", "Series resonance", "Hz", [](auto& c, auto&) { return crossing_figure(c, 1); }, itself},
      {"resonance.parallel", "Parallel resonance", "Hz", [](auto& c, auto&) { return parallel_resonance(c); }, itself},
  };
  return all;
}

std::vector<FigureName> impedance_names() {
  std::vector<FigureName> out;
  for (const auto& at : kAt) out.push_back({std::string(at.label), std::string(at.name), std::string(at.unit), "Hz"});
  return out;
}

std::optional<Definition> impedance_figure_at(std::string_view name, std::string key, double frequency) {
  for (const auto& at : kAt)
    if (at.name == name)
      return Definition{std::move(key), std::string(at.label) + " at " + format_setting(frequency, "Hz"),
                        std::string(at.unit),
                        [frequency, read = at.read](const CurveColumns& c, const Settings&) -> Value {
                          if (!c.has_phase) return no("the data have no phase");
                          if (!c.impedance) return no("the data are no impedance, or one that was normalised");
                          const auto z = c.value(frequency);
                          if (!z) return no("the frequency lies outside the sweep");
                          return read(*z, 2 * std::numbers::pi * frequency);
                        },
                        [frequency](auto&, auto&, double) { return std::vector{frequency}; },
                        false,
                        false,
                        at.angle};
  return std::nullopt;
}

}  // namespace heron::study::response
