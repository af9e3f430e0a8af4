#include <cmath>

#include "sim/parts/parts.h"
#include "sim/parts/semiconductor.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

/// i = Is (exp(v/nVt) - 1) - Ib exp(-(v + Vb)/Vt); q = tt * forward current + depletion charge.
class Diode final : public BentDevice {
 public:
  explicit Diode(const DeviceContext& c)
      : anode_(c.pins[0]),
        inner_(c.extra.empty() ? c.pins[0] : c.extra[0]),
        cathode_(c.pins[1]),
        memory_(c.memory),
        n_vt_(c.value("ideality") * thermal_voltage(c.temperature)),
        vt_(thermal_voltage(c.temperature)),
        is_(saturation_at(c.value("saturation_current"), c.temperature, c.value("ideality"))),
        breakdown_(c.value("breakdown")),
        i_breakdown_(c.value("breakdown_current")),
        transit_(c.value("transit_time")),
        c0_(c.value("junction_capacitance")),
        phi_(c.value("junction_potential")),
        grading_(c.value("grading")),
        g_series_(c.extra.empty() ? 0 : 1 / c.value("series_resistance")),
        critical_(critical_voltage(is_, n_vt_)) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(inner_) - s.v(cathode_);
    double at = s.junction(memory_, v, n_vt_, critical_);
    if (breakdown_ > 0 && v < 0)
      at = -breakdown_ - s.junction(memory_ + 1, -(v + breakdown_), vt_, critical_voltage(i_breakdown_, vt_));
    const auto forward = junction_current(at, is_, n_vt_);
    Bent i = forward;
    if (breakdown_ > 0) {
      const auto e = smooth_exp(-(at + breakdown_) / vt_);
      i.value -= i_breakdown_ * e.value;
      i.slope += i_breakdown_ * e.slope / vt_;
    }
    stamp_tangent(s, inner_, cathode_, i, at, v);
    if (transit_ > 0 || c0_ > 0) {
      Bent q{transit_ * forward.value, transit_ * forward.slope};
      if (c0_ > 0) {
        const auto depletion = depletion_charge(at, c0_, phi_, grading_);
        q = {q.value + depletion.value, q.slope + depletion.slope};
      }
      stamp_charge_tangent(s, inner_, cathode_, q, at, v);
    }
    if (g_series_ > 0) s.add_current(anode_, inner_, g_series_ * (s.v(anode_) - s.v(inner_)), g_series_);
  }

 private:
  int anode_, inner_, cathode_, memory_;
  double n_vt_, vt_, is_, breakdown_, i_breakdown_, transit_, c0_, phi_, grading_, g_series_, critical_;
};

/// Light current, a string of equal junctions, their shunt and their series resistance.
class PhotovoltaicCell final : public BentDevice {
 public:
  explicit PhotovoltaicCell(const DeviceContext& c)
      : plus_(c.pins[0]),
        inner_(c.extra[0]),
        minus_(c.pins[1]),
        memory_(c.memory),
        light_(c.value("value")),
        cells_(c.value("cells")),
        n_vt_(c.value("ideality") * cells_ * thermal_voltage(c.temperature)),
        is_(saturation_at(c.value("saturation_current"), c.temperature, c.value("ideality"))),
        g_series_(1 / c.value("series_resistance")),
        g_shunt_(1 / c.value("shunt_resistance")),
        capacitance_(c.value("capacitance")),
        critical_(critical_voltage(is_, n_vt_)) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(inner_) - s.v(minus_), at = s.junction(memory_, v, n_vt_, critical_);
    stamp_tangent(s, inner_, minus_, junction_current(at, is_, n_vt_), at, v);
    s.add_current(inner_, minus_, g_shunt_ * v, g_shunt_);
    s.add_f(inner_, -light_ * s.source_share);
    s.add_f(minus_, light_ * s.source_share);
    s.add_current(plus_, inner_, g_series_ * (s.v(plus_) - s.v(inner_)), g_series_);
    if (capacitance_ > 0) s.add_charge(inner_, minus_, capacitance_ * v, capacitance_);
  }

 private:
  int plus_, inner_, minus_, memory_;
  double light_, cells_, n_vt_, is_, g_series_, g_shunt_, capacitance_, critical_;
};

}  // namespace

std::vector<PartKind> junctions() {
  return {{.name = "diode",
           .pins = {"anode", "cathode"},
           .values = {{"saturation_current", "A", true, 0, Sign::positive, "at 25 degC"},
                      {"ideality", "1", false, 1, Sign::positive, "n of exp(v/nVt)"},
                      {"series_resistance", "ohm", false, 0, Sign::not_negative, "of leads and bulk"},
                      {"breakdown", "V", false, 0, Sign::not_negative, "reverse voltage; 0: none"},
                      {"breakdown_current", "A", false, 1e-3, Sign::positive, "at that voltage"},
                      {"transit_time", "s", false, 0, Sign::not_negative, "stored charge over forward current"},
                      {"junction_capacitance", "F", false, 0, Sign::not_negative, "at no voltage"},
                      {"junction_potential", "V", false, 0.7, Sign::positive, "phi of the depletion law"},
                      {"grading", "1", false, 0.4, Sign::positive, "m of the depletion law"}},
           .make = build<Diode>,
           .extra_for = [](const Part& p) { return p.values.at("series_resistance").value > 0 ? 1 : 0; },
           .memories = 2,
           .check = [](const Part& p) -> std::string {
             return p.values.at("grading").value >= 0.95 ? "grading: lies above 0 and below 0.95" : "";
           }},
          {.name = "photovoltaic cell",
           .pins = {"plus", "minus"},
           .values = {{"value", "A", true, 0, Sign::not_negative, "current that the light gives"},
                      {"saturation_current", "A", true, 0, Sign::positive, "of a junction at 25 degC"},
                      {"ideality", "1", false, 1.3, Sign::positive, "n of exp(v/nVt)"},
                      {"cells", "1", false, 1, Sign::positive, "in series"},
                      {"series_resistance", "ohm", false, 0.01, Sign::positive, "of the whole string"},
                      {"shunt_resistance", "ohm", false, 1e4, Sign::positive, "of the whole string"},
                      {"capacitance", "F", false, 0, Sign::not_negative, "of the whole string"}},
           .extra_unknowns = 1,
           .make = build<PhotovoltaicCell>,
           .memories = 1}};
}

}  // namespace heron::sim::parts
