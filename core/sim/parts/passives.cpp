#include <cmath>

#include "sim/parts/parts.h"
#include "sim/parts/semiconductor.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

double noise_current(double conductance, double celsius) {
  return std::sqrt(4 * kBoltzmann * (celsius + kZeroCelsius) * conductance);
}

class Resistor final : public Device {
 public:
  explicit Resistor(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), celsius_(c.temperature) {
    const double warm = 1 + 1e-6 * c.value("temperature_coefficient") * (c.temperature - kNominalCelsius);
    g_ = 1 / (c.value("value") * std::max(warm, 1e-3));
  }

  void stamp(Stamp& s) const override { s.add_current(a_, b_, g_ * (s.v(a_) - s.v(b_)), g_); }

  std::vector<Noise> noise(std::span<const double>) const override { return {{a_, b_, noise_current(g_, celsius_)}}; }

 private:
  int a_, b_;
  double g_, celsius_;
};

/// R (1 + a T), T how far the node `heat` lies above 25 degC, a volt a kelvin above the surroundings; the power goes into
/// that node as a current, a watt an ampere, so that resistors there are K/W and capacitors J/K.
class WarmResistor final : public BentDevice {
 public:
  explicit WarmResistor(const DeviceContext& c)
      : a_(c.pins[0]), b_(c.pins[1]), heat_(c.pins[2]), r_(c.value("value")), a_per_k_(1e-6 * c.value("temperature_coefficient")), above_(c.temperature - kNominalCelsius) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(a_) - s.v(b_), warm = 1 + a_per_k_ * (s.v(heat_) + above_);
    const bool cold = warm < kLeast;
    const double g = 1 / (r_ * (cold ? kLeast : warm)), i = g * v, by_heat = cold ? 0 : -i * a_per_k_ / warm;
    s.add_current(a_, b_, i, g);
    s.add_g(a_, heat_, by_heat);
    s.add_g(b_, heat_, -by_heat);
    s.add_f(heat_, -i * v);
    s.add_g(heat_, a_, -2 * i);
    s.add_g(heat_, b_, 2 * i);
    s.add_g(heat_, heat_, -v * by_heat);
  }

  std::vector<Noise> noise(std::span<const double>) const override { return {{a_, b_, noise_current(1 / r_, above_ + kNominalCelsius)}}; }

 private:
  static constexpr double kLeast = 1e-3;  ///< of its value, however cold
  int a_, b_, heat_;
  double r_, a_per_k_, above_;
};

/// Its plates stand behind the series resistance, on an inner node where there is one; leakage runs beside the plates.
class Capacitor final : public Device {
 public:
  explicit Capacitor(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        plate_(c.extra.empty() ? c.pins[0] : c.extra[0]),
        c_(c.value("value")),
        half_(c.value("half_voltage")),
        g_leak_(c.value("leakage") > 0 ? 1 / c.value("leakage") : 0),
        g_series_(c.extra.empty() ? 0 : 1 / c.value("series_resistance")) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(plate_) - s.v(b_);
    if (half_ > 0) {
      // C(v) = C / (1 + (v/half)^2), so that q = C half atan(v/half).
      const double u = v / half_;
      s.add_charge(plate_, b_, c_ * half_ * std::atan(u), c_ / (1 + u * u));
    } else {
      s.add_charge(plate_, b_, c_ * v, c_);
    }
    if (g_leak_ > 0) s.add_current(plate_, b_, g_leak_ * v, g_leak_);
    if (g_series_ > 0) s.add_current(a_, plate_, g_series_ * (s.v(a_) - s.v(plate_)), g_series_);
  }

  bool linear_at(std::span<const double>) const override { return half_ == 0; }
  bool always_linear() const override { return half_ == 0; }

 private:
  int a_, b_, plate_;
  double c_, half_, g_leak_, g_series_;
};

/// Flux of a winding on iron: r L i + (1 - r) L Is atan(i/Is); half of the iron's part is gone at the saturation
/// current Is, r of the inductance is left far beyond.
Bent winding_flux(double i, double l, double saturation, double rest) {
  if (saturation <= 0) return {l * i, l};
  const double u = i / saturation;
  return {l * (rest * i + (1 - rest) * saturation * std::atan(u)), l * (rest + (1 - rest) / (1 + u * u))};
}

/// Its current is an unknown; the branch equation v - R i - d(flux)/dt = 0 is written with the sign of a charge.
class Inductor final : public Device {
 public:
  explicit Inductor(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        i_(c.extra[0]),
        l_(c.value("value")),
        r_(c.value("resistance")),
        saturation_(c.value("saturation_current")),
        rest_(c.value("saturated_share")) {}

  void stamp(Stamp& s) const override {
    const double i = s.v(i_);
    // At rest an inductor without resistance would leave the currents of a loop of them open.
    const double r = s.at_rest ? std::max(r_, 1e-9) : r_;
    s.add_f(a_, i);
    s.add_f(b_, -i);
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, r * i - (s.v(a_) - s.v(b_)));
    s.add_g(i_, i_, r);
    s.add_g(i_, a_, -1);
    s.add_g(i_, b_, 1);
    const auto flux = winding_flux(i, l_, saturation_, rest_);
    s.add_q(i_, flux.value);
    s.add_c(i_, i_, flux.slope);
  }

  bool linear_at(std::span<const double>) const override { return saturation_ == 0; }
  bool always_linear() const override { return saturation_ == 0; }

 private:
  int a_, b_, i_;
  double l_, r_, saturation_, rest_;
};

/// Two windings: flux1 = L1 i1 + M i2, flux2 = M i1 + L2 i2, M = k sqrt(L1 L2).
class CoupledInductors final : public Device {
 public:
  explicit CoupledInductors(const DeviceContext& c)
      : p_(c.pins),
        i_(c.extra),
        l_{c.value("value"), c.value("secondary")},
        r_{c.value("resistance"), c.value("secondary_resistance")},
        m_(c.value("coupling") * std::sqrt(l_[0] * l_[1])) {}

  void stamp(Stamp& s) const override {
    for (std::size_t k = 0; k < 2; ++k) {
      const int a = p_[2 * k], b = p_[2 * k + 1], i = i_[k], other = i_[1 - k];
      const double r = s.at_rest ? std::max(r_[k], 1e-9) : r_[k];
      s.add_f(a, s.v(i));
      s.add_f(b, -s.v(i));
      s.add_g(a, i, 1);
      s.add_g(b, i, -1);
      s.add_f(i, r * s.v(i) - (s.v(a) - s.v(b)));
      s.add_g(i, i, r);
      s.add_g(i, a, -1);
      s.add_g(i, b, 1);
      s.add_q(i, l_[k] * s.v(i) + m_ * s.v(other));
      s.add_c(i, i, l_[k]);
      s.add_c(i, other, m_);
    }
  }

 private:
  std::vector<int> p_, i_;
  double l_[2], r_[2], m_;
};

/// R(T) = R25 exp(B (1/T - 1/T25)); its own temperature is an unknown: heat d(rise)/dt + rise / Rth = v i.
class Thermistor final : public BentDevice {
 public:
  explicit Thermistor(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        rise_(c.extra[0]),
        r25_(c.value("value")),
        beta_(c.value("beta")),
        g_thermal_(1 / c.value("thermal_resistance")),
        heat_(c.value("heat_capacity")),
        ambient_(c.temperature + kZeroCelsius) {}

  void stamp(Stamp& s) const override {
    // Below this no iron law of NTC material holds; the temperature is kept off zero smoothly.
    constexpr double kLowest = 50, kWidth = 10;
    const auto above = soft_plus((ambient_ + s.v(rise_) - kLowest) / kWidth);
    const double t = kLowest + kWidth * above.value;
    constexpr double kT25 = 25 + kZeroCelsius;
    const double g = 1 / (r25_ * std::exp(std::min(200.0, beta_ * (1 / t - 1 / kT25))));
    const double dg = g * beta_ / (t * t) * above.slope;
    const double v = s.v(a_) - s.v(b_);
    s.add_current(a_, b_, g * v, g);
    s.add_g(a_, rise_, dg * v);
    s.add_g(b_, rise_, -dg * v);
    s.add_f(rise_, g_thermal_ * s.v(rise_) - g * v * v);
    s.add_g(rise_, rise_, g_thermal_ - dg * v * v);
    s.add_g(rise_, a_, -2 * g * v);
    s.add_g(rise_, b_, 2 * g * v);
    s.add_q(rise_, heat_ * s.v(rise_));
    s.add_c(rise_, rise_, heat_);
  }

 private:
  int a_, b_, rise_;
  double r25_, beta_, g_thermal_, heat_, ambient_;
};

}  // namespace

std::vector<PartKind> passives() {
  const std::vector<std::string_view> two = {"a", "b"};
  return {
      {.name = "resistor",
       .pins = two,
       .values = {{"value", "ohm", true, 0, Sign::positive, "resistance at 25 degC"},
                  {"temperature_coefficient", "ppm/K", false, 0, Sign::any, "change with temperature"}},
       .two_terminal = true,
       .make = build<Resistor>},
      {.name = "warm resistor",
       .pins = {"a", "b", "heat"},
       .values = {{"value", "ohm", true, 0, Sign::positive, "resistance at 25 degC"},
                  {"temperature_coefficient", "ppm/K", false, 0, Sign::any, "change with its own temperature"}},
       .make = build<WarmResistor>},
      {.name = "capacitor",
       .pins = two,
       .values = {{"value", "F", true, 0, Sign::positive, "capacitance at no voltage"},
                  {"series_resistance", "ohm", false, 0, Sign::not_negative, "ESR"},
                  {"leakage", "ohm", false, 0, Sign::not_negative, "resistance beside the plates; 0: none"},
                  {"half_voltage", "V", false, 0, Sign::not_negative,
                   "voltage at which half the capacitance is left; 0: constant"}},
       .two_terminal = true,
       .make = build<Capacitor>,
       .extra_for = [](const Part& p) { return p.values.at("series_resistance").value > 0 ? 1 : 0; }},
      {.name = "inductor",
       .pins = two,
       .values = {{"value", "H", true, 0, Sign::positive, "inductance at no current"},
                  {"resistance", "ohm", false, 0, Sign::not_negative, "of the winding"},
                  {"saturation_current", "A", false, 0, Sign::not_negative,
                   "half of the iron's part is gone there; 0: never"},
                  {"saturated_share", "1", false, 0.1, Sign::positive, "what is left far beyond"}},
       .extra_unknowns = 1,
       .two_terminal = true,
       .make = build<Inductor>,
       .check = [](const Part& p) -> std::string {
         return p.values.at("saturated_share").value > 1 ? "saturated_share: lies above 0 and not above 1" : "";
       }},
      {.name = "coupled inductors",
       .pins = {"a1", "b1", "a2", "b2"},
       .values = {{"value", "H", true, 0, Sign::positive, "first winding, from a1 to b1"},
                  {"secondary", "H", true, 0, Sign::positive, "second winding, from a2 to b2"},
                  {"coupling", "1", true, 0, Sign::not_negative, "from 0 to below 1"},
                  {"resistance", "ohm", false, 0, Sign::not_negative, "of the first winding"},
                  {"secondary_resistance", "ohm", false, 0, Sign::not_negative, "of the second winding"}},
       .extra_unknowns = 2,
       .make = build<CoupledInductors>,
       .check = [](const Part& p) -> std::string {
         return p.values.at("coupling").value >= 1 ? "coupling: lies from 0 to below 1" : "";
       }},
      {.name = "thermistor",
       .pins = two,
       .values = {{"value", "ohm", true, 0, Sign::positive, "resistance at 25 degC"},
                  {"beta", "K", true, 0, Sign::positive, "of the exponential law"},
                  {"thermal_resistance", "K/W", true, 0, Sign::positive, "to the surroundings"},
                  {"heat_capacity", "J/K", true, 0, Sign::positive, "of the body"}},
       .extra_unknowns = 1,
       .two_terminal = true,
       .make = build<Thermistor>},
  };
}

}  // namespace heron::sim::parts
