#include <array>
#include <cmath>

#include "sim/parts/parts.h"
#include "sim/parts/semiconductor.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

/// The currents of a bipolar transistor between its inner nodes (Gummel and Poon 1970): transport current over the
/// normalised base charge, ideal and leakage base currents, and charges of both junctions. Written for npn; a pnp has
/// all voltages and currents turned round.
class BipolarCore {
 public:
  BipolarCore() = default;
  explicit BipolarCore(const DeviceContext& c)
      : sign_(c.part->texts.contains("polarity") && c.text("polarity") == "pnp" ? -1 : 1),
        memory_(c.memory),
        vt_(thermal_voltage(c.temperature)),
        is_(saturation_at(c.value("saturation_current"), c.temperature)),
        bf_(c.value("current_gain")),
        br_(c.value("reverse_gain")),
        early_(c.value("early_voltage") > 0 ? 1 / c.value("early_voltage") : 0),
        knee_(c.value("knee_current") > 0 ? 1 / c.value("knee_current") : 0),
        leak_(c.value("leakage_current") > 0 ? saturation_at(c.value("leakage_current"), c.temperature, 2) : 0),
        transit_(c.value("transit_time")),
        reverse_transit_(c.value("reverse_transit_time")),
        cje_(c.value("emitter_capacitance")),
        cjc_(c.value("collector_capacitance")),
        critical_(critical_voltage(is_, vt_)) {}

  void stamp(Stamp& s, int collector, int base, int emitter) const {
    const double vbe = sign_ * (s.v(base) - s.v(emitter)), vbc = sign_ * (s.v(base) - s.v(collector));
    const double be = s.junction(memory_, vbe, vt_, critical_), bc = s.junction(memory_ + 1, vbc, vt_, critical_);
    const auto f = junction_current(be, is_, vt_), r = junction_current(bc, is_, vt_);
    // Base charge: q1 by base-width modulation, kept off zero; q2 by high injection.
    const auto width = soft_plus((1 - bc * early_ - 0.1) / 0.02);
    const double narrow = 0.1 + 0.02 * width.value, q1 = 1 / narrow, dq1 = q1 * q1 * early_ * width.slope;
    const double root = std::sqrt(std::max(1e-6, 1 + 4 * (f.value + r.value) * knee_));
    const double qb = 0.5 * q1 * (1 + root), d_be = q1 * f.slope * knee_ / root,
                 d_bc = q1 * r.slope * knee_ / root + 0.5 * dq1 * (1 + root);
    const double transport = (f.value - r.value) / qb;
    const double gt_be = f.slope / qb - transport * d_be / qb, gt_bc = -r.slope / qb - transport * d_bc / qb;

    // The transport current, a tangent in both voltages.
    const double i = sign_ * (transport + gt_be * (vbe - be) + gt_bc * (vbc - bc));
    s.add_f(collector, i);
    s.add_f(emitter, -i);
    for (const auto& [row, way] : {std::pair{collector, 1.0}, {emitter, -1.0}}) {
      s.add_g(row, base, way * (gt_be + gt_bc));
      s.add_g(row, emitter, -way * gt_be);
      s.add_g(row, collector, -way * gt_bc);
    }
    Bent ibe{f.value / bf_, f.slope / bf_};
    if (leak_ > 0) {
      const auto e = junction_current(be, leak_, 2 * vt_);
      ibe = {ibe.value + e.value, ibe.slope + e.slope};
    }
    between(s, base, emitter, ibe, be, vbe);
    between(s, base, collector, {r.value / br_, r.slope / br_}, bc, vbc);
    if (transit_ > 0 || cje_ > 0) charge(s, base, emitter, f, transit_, cje_, be, vbe);
    if (reverse_transit_ > 0 || cjc_ > 0) charge(s, base, collector, r, reverse_transit_, cjc_, bc, vbc);
  }

 private:
  void between(Stamp& s, int a, int b, Bent i, double at, double v) const {
    s.add_current(a, b, sign_ * (i.value + i.slope * (v - at)), i.slope);
  }
  void charge(Stamp& s, int a, int b, Bent current, double transit, double c0, double at, double v) const {
    Bent q{transit * current.value, transit * current.slope};
    if (c0 > 0) {
      const auto depletion = depletion_charge(at, c0, 0.75, 0.35);
      q = {q.value + depletion.value, q.slope + depletion.slope};
    }
    s.add_charge(a, b, sign_ * (q.value + q.slope * (v - at)), q.slope);
  }

  double sign_ = 1;
  int memory_ = 0;
  double vt_ = 0, is_ = 0, bf_ = 0, br_ = 0, early_ = 0, knee_ = 0, leak_ = 0, transit_ = 0, reverse_transit_ = 0,
         cje_ = 0, cjc_ = 0, critical_ = 0;
};

std::vector<ValueRule> bipolar_rules() {
  return {{"saturation_current", "A", true, 0, Sign::positive, "at 25 degC"},
          {"current_gain", "1", true, 0, Sign::positive, "forward, ideal"},
          {"reverse_gain", "1", false, 2, Sign::positive, "with collector and emitter exchanged"},
          {"early_voltage", "V", false, 0, Sign::not_negative, "0: infinite"},
          {"knee_current", "A", false, 0, Sign::not_negative, "of high injection; 0: infinite"},
          {"leakage_current", "A", false, 0, Sign::not_negative, "base-emitter, ideality 2"},
          {"base_resistance", "ohm", false, 0, Sign::not_negative, ""},
          {"transit_time", "s", false, 0, Sign::not_negative, "forward"},
          {"reverse_transit_time", "s", false, 0, Sign::not_negative, ""},
          {"emitter_capacitance", "F", false, 0, Sign::not_negative, "base-emitter at no voltage"},
          {"collector_capacitance", "F", false, 0, Sign::not_negative, "base-collector at no voltage"}};
}

class Bipolar final : public BentDevice {
 public:
  explicit Bipolar(const DeviceContext& c)
      : p_(c.pins),
        base_(c.extra.empty() ? c.pins[1] : c.extra[0]),
        g_base_(c.extra.empty() ? 0 : 1 / c.value("base_resistance")),
        core_(c) {}

  void stamp(Stamp& s) const override {
    core_.stamp(s, p_[0], base_, p_[2]);
    if (g_base_ > 0) s.add_current(p_[1], base_, g_base_ * (s.v(p_[1]) - s.v(base_)), g_base_);
  }

 private:
  std::vector<int> p_;
  int base_;
  double g_base_;
  BipolarCore core_;
};

/// An LED and a phototransistor that sees it: the LED's forward current times `coupling`, delayed by one time constant,
/// flows from the collector into the base of a bipolar core.
class PhototransistorPair final : public BentDevice {
 public:
  explicit PhototransistorPair(const DeviceContext& c)
      : anode_(c.pins[0]),
        cathode_(c.pins[1]),
        collector_(c.pins[2]),
        emitter_(c.pins[3]),
        base_(c.extra[0]),
        light_(c.extra[1]),
        memory_(c.memory + 2),
        n_vt_(c.value("led_ideality") * thermal_voltage(c.temperature)),
        led_is_(saturation_at(c.value("led_saturation_current"), c.temperature, c.value("led_ideality"))),
        critical_(critical_voltage(led_is_, n_vt_)),
        coupling_(c.value("coupling")),
        delay_(c.value("time_constant")),
        core_(c) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(anode_) - s.v(cathode_), at = s.junction(memory_, v, n_vt_, critical_);
    const auto led = junction_current(at, led_is_, n_vt_);
    stamp_tangent(s, anode_, cathode_, led, at, v);
    const double photo = coupling_ * (led.value + led.slope * (v - at)), slope = coupling_ * led.slope;
    s.add_f(light_, s.v(light_) - photo);
    s.add_g(light_, light_, 1);
    s.add_g(light_, anode_, -slope);
    s.add_g(light_, cathode_, slope);
    s.add_q(light_, delay_ * s.v(light_));
    s.add_c(light_, light_, delay_);
    s.add_f(collector_, s.v(light_));
    s.add_f(base_, -s.v(light_));
    s.add_g(collector_, light_, 1);
    s.add_g(base_, light_, -1);
    core_.stamp(s, collector_, base_, emitter_);
  }

 private:
  int anode_, cathode_, collector_, emitter_, base_, light_, memory_;
  double n_vt_, led_is_, critical_, coupling_, delay_;
  BipolarCore core_;
};

/// Channel current from drain to source as the difference of a forward and a reverse part, one equation from
/// subthreshold to saturation (after Enz, Krummenacher and Vittoz 1995), body at the source; body diode from source to
/// drain; a gate-drain capacitance that falls with the voltage between drain and gate.
class Fet final : public BentDevice {
 public:
  explicit Fet(const DeviceContext& c)
      : sign_(c.text("channel") == "p" ? -1 : 1),
        drain_(c.extra.empty() ? c.pins[0] : c.extra[0]),
        outer_(c.pins[0]),
        gate_(c.pins[1]),
        source_(c.pins[2]),
        memory_(c.memory),
        vt_(thermal_voltage(c.temperature)),
        threshold_(c.value("value")),
        n_(c.value("slope_factor")),
        specific_(2 * n_ * c.value("transconductance") * vt_ * vt_ *
                  std::pow((c.temperature + kZeroCelsius) / (kNominalCelsius + kZeroCelsius), -1.5)),
        modulation_(c.value("modulation")),
        g_series_(c.extra.empty() ? 0 : 1 / c.value("drain_resistance")),
        body_is_(c.value("body_saturation_current")),
        body_n_vt_(1.1 * vt_),
        critical_(body_is_ > 0 ? critical_voltage(body_is_, body_n_vt_) : 0),
        transit_(c.value("body_transit_time")),
        cgs_(c.value("gate_source_capacitance")),
        cgd_low_(c.value("gate_drain_capacitance")),
        cgd_high_(std::max(c.value("gate_drain_capacitance"), c.value("gate_drain_capacitance_on"))),
        cds_(c.value("drain_source_capacitance")) {}

  void stamp(Stamp& s) const override {
    const double vgs = sign_ * (s.v(gate_) - s.v(source_)), vds = sign_ * (s.v(drain_) - s.v(source_));
    const double pinch = (vgs - threshold_) / n_;
    const auto f = soft_plus(pinch / (2 * vt_)), r = soft_plus((pinch - vds) / (2 * vt_));
    const double core = f.value * f.value - r.value * r.value;
    const double d_pinch = (f.value * f.slope - r.value * r.slope) / vt_, d_vds_core = r.value * r.slope / vt_;
    // Channel-length modulation for positive vds only, with a rounded start.
    constexpr double kRound = 0.1;
    const double root = std::sqrt(vds * vds + kRound * kRound), along = 0.5 * (vds + root);
    const double longer = 1 + modulation_ * along, d_longer = modulation_ * 0.5 * (1 + vds / root);
    const double i = specific_ * core * longer, gm = specific_ * d_pinch / n_ * longer,
                 gds = specific_ * (d_vds_core * longer + core * d_longer);
    s.add_f(drain_, sign_ * i);
    s.add_f(source_, -sign_ * i);
    for (const auto& [row, way] : {std::pair{drain_, 1.0}, {source_, -1.0}}) {
      s.add_g(row, gate_, way * gm);
      s.add_g(row, drain_, way * gds);
      s.add_g(row, source_, -way * (gm + gds));
    }
    if (body_is_ > 0) {
      const double at = s.junction(memory_, -vds, body_n_vt_, critical_);
      const auto body = junction_current(at, body_is_, body_n_vt_);
      s.add_current(source_, drain_, sign_ * (body.value + body.slope * (-vds - at)), body.slope);
      if (transit_ > 0 || cds_ > 0) {
        Bent q{transit_ * body.value, transit_ * body.slope};
        if (cds_ > 0) {
          const auto depletion = depletion_charge(at, cds_, 0.8, 0.45);
          q = {q.value + depletion.value, q.slope + depletion.slope};
        }
        s.add_charge(source_, drain_, sign_ * (q.value + q.slope * (-vds - at)), q.slope);
      }
    }
    if (cgs_ > 0) s.add_charge(gate_, source_, cgs_ * (s.v(gate_) - s.v(source_)), cgs_);
    if (cgd_high_ > 0) {
      // C(v) = low + (high - low) / (1 + exp(-v/w)) of the voltage from gate to drain; its integral is closed.
      constexpr double kWidth = 1;
      const double v = sign_ * (s.v(gate_) - s.v(drain_));
      const auto open = soft_plus(v / kWidth);
      s.add_charge(gate_, drain_, sign_ * (cgd_low_ * v + (cgd_high_ - cgd_low_) * kWidth * open.value),
                   cgd_low_ + (cgd_high_ - cgd_low_) * open.slope);
    }
    if (g_series_ > 0) s.add_current(outer_, drain_, g_series_ * (s.v(outer_) - s.v(drain_)), g_series_);
  }

 private:
  double sign_;
  int drain_, outer_, gate_, source_, memory_;
  double vt_, threshold_, n_, specific_, modulation_, g_series_, body_is_, body_n_vt_, critical_, transit_, cgs_,
      cgd_low_, cgd_high_, cds_;
};

/// i = beta [s(vgs - vp)^2 - s(vgd - vp)^2] (1 + modulation vds), s a rounded positive part, with both gate junctions.
class JunctionFet final : public BentDevice {
 public:
  explicit JunctionFet(const DeviceContext& c)
      : sign_(c.text("channel") == "p" ? -1 : 1),
        p_(c.pins),
        memory_(c.memory),
        vt_(thermal_voltage(c.temperature)),
        pinch_(c.value("value")),
        beta_(c.value("transconductance")),
        modulation_(c.value("modulation")),
        is_(saturation_at(c.value("gate_saturation_current"), c.temperature)),
        capacitance_{c.value("gate_drain_capacitance"), c.value("gate_source_capacitance")},
        critical_(critical_voltage(is_, vt_)) {}

  void stamp(Stamp& s) const override {
    const int drain = p_[0], gate = p_[1], source = p_[2];
    const double w = 2 * vt_;
    const double vgs = sign_ * (s.v(gate) - s.v(source)), vgd = sign_ * (s.v(gate) - s.v(drain)), vds = vgs - vgd;
    const auto f = soft_plus((vgs - pinch_) / w), r = soft_plus((vgd - pinch_) / w);
    const double core = beta_ * w * w * (f.value * f.value - r.value * r.value),
                 d_gs = 2 * beta_ * w * f.value * f.slope, d_gd = -2 * beta_ * w * r.value * r.slope;
    constexpr double kRound = 0.1;
    const double root = std::sqrt(vds * vds + kRound * kRound), longer = 1 + modulation_ * root,
                 d_longer = modulation_ * vds / root;
    const double i = core * longer, g_gs = d_gs * longer + core * d_longer, g_gd = d_gd * longer - core * d_longer;
    s.add_f(drain, sign_ * i);
    s.add_f(source, -sign_ * i);
    for (const auto& [row, way] : {std::pair{drain, 1.0}, {source, -1.0}}) {
      s.add_g(row, gate, way * (g_gs + g_gd));
      s.add_g(row, source, -way * g_gs);
      s.add_g(row, drain, -way * g_gd);
    }
    for (int k = 0; k < 2; ++k) {
      const int other = k == 0 ? drain : source;
      const double v = k == 0 ? vgd : vgs, at = s.junction(memory_ + k, v, vt_, critical_);
      const auto junction = junction_current(at, is_, vt_);
      s.add_current(gate, other, sign_ * (junction.value + junction.slope * (v - at)), junction.slope);
      if (capacitance_[std::size_t(k)] > 0) {
        const auto q = depletion_charge(at, capacitance_[std::size_t(k)], 0.8, 0.5);
        s.add_charge(gate, other, sign_ * (q.value + q.slope * (v - at)), q.slope);
      }
    }
  }

 private:
  double sign_;
  std::vector<int> p_;
  int memory_;
  double vt_, pinch_, beta_, modulation_, is_;
  std::array<double, 2> capacitance_;
  double critical_;
};

}  // namespace

std::vector<PartKind> transistors() {
  auto pair = bipolar_rules();
  // The pair's base has no lead.
  std::erase_if(pair, [](const ValueRule& r) { return r.key == "base_resistance"; });
  pair.insert(pair.begin(), {{"coupling", "1", true, 0, Sign::positive, "photocurrent over LED current"},
                             {"led_saturation_current", "A", true, 0, Sign::positive, "at 25 degC"},
                             {"led_ideality", "1", false, 2, Sign::positive, "n of exp(v/nVt)"},
                             {"time_constant", "s", false, 2e-6, Sign::positive, "of the photocurrent"}});
  return {
      {.name = "bipolar",
       .pins = {"collector", "base", "emitter"},
       .values = bipolar_rules(),
       .make = build<Bipolar>,
       .texts = {{"polarity", {"npn", "pnp"}}},
       .extra_for = [](const Part& p) { return p.values.at("base_resistance").value > 0 ? 1 : 0; },
       .memories = 2},
      {.name = "fet",
       .pins = {"drain", "gate", "source"},
       .values = {{"value", "V", true, 0, Sign::any, "threshold"},
                  {"transconductance", "A/V2", true, 0, Sign::positive, "twice i/(vgs-vth)^2 times the slope factor"},
                  {"slope_factor", "1", false, 1.2, Sign::positive, "n of the subthreshold slope"},
                  {"modulation", "1/V", false, 0, Sign::not_negative, "of the channel's length"},
                  {"drain_resistance", "ohm", false, 0, Sign::not_negative, ""},
                  {"body_saturation_current", "A", false, 1e-13, Sign::not_negative, "of the body diode; 0: none"},
                  {"body_transit_time", "s", false, 0, Sign::not_negative, "of the body diode"},
                  {"gate_source_capacitance", "F", false, 0, Sign::not_negative, ""},
                  {"gate_drain_capacitance", "F", false, 0, Sign::not_negative, "with the drain far above the gate"},
                  {"gate_drain_capacitance_on", "F", false, 0, Sign::not_negative, "with the gate above the drain"},
                  {"drain_source_capacitance", "F", false, 0, Sign::not_negative, "at no voltage"}},
       .make = build<Fet>,
       .texts = {{"channel", {"n", "p"}}},
       .extra_for = [](const Part& p) { return p.values.at("drain_resistance").value > 0 ? 1 : 0; },
       .memories = 1},
      {.name = "junction fet",
       .pins = {"drain", "gate", "source"},
       .values = {{"value", "V", true, 0, Sign::any, "pinch-off, below zero"},
                  {"transconductance", "A/V2", true, 0, Sign::positive, "i/(vgs-vp)^2"},
                  {"modulation", "1/V", false, 0, Sign::not_negative, "of the channel's length"},
                  {"gate_saturation_current", "A", false, 1e-14, Sign::positive, "of each gate junction"},
                  {"gate_drain_capacitance", "F", false, 0, Sign::not_negative, "at no voltage"},
                  {"gate_source_capacitance", "F", false, 0, Sign::not_negative, "at no voltage"}},
       .make = build<JunctionFet>,
       .texts = {{"channel", {"n", "p"}}},
       .memories = 2},
      {.name = "phototransistor pair",
       .pins = {"anode", "cathode", "collector", "emitter"},
       .values = pair,
       .extra_unknowns = 2,
       .make = build<PhototransistorPair>,
       .memories = 3}};
}

}  // namespace heron::sim::parts
