#include <cmath>
#include <numbers>

#include "sim/parts/parts.h"
#include "sim/parts/smooth.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

/// lg of its conductance goes smoothly from off to on while the control passes the threshold over `band` volts.
class Switch final : public BentDevice {
 public:
  explicit Switch(const DeviceContext& c)
      : p_(c.pins),
        ln_off_(-std::log(c.value("off_resistance"))),
        ln_on_(-std::log(c.value("value"))),
        threshold_(c.value("threshold")),
        band_(c.value("band")) {}

  void stamp(Stamp& s) const override {
    const double u = 4 * (s.v(p_[2]) - s.v(p_[3]) - threshold_) / band_;
    const double t = std::tanh(u), share = 0.5 * (1 + t), d_share = 0.5 * (1 - t * t) * 4 / band_;
    const double g = std::exp(ln_off_ + (ln_on_ - ln_off_) * share), dg = g * (ln_on_ - ln_off_) * d_share;
    const double v = s.v(p_[0]) - s.v(p_[1]);
    s.add_current(p_[0], p_[1], g * v, g);
    s.add_g(p_[0], p_[2], dg * v);
    s.add_g(p_[0], p_[3], -dg * v);
    s.add_g(p_[1], p_[2], -dg * v);
    s.add_g(p_[1], p_[3], dg * v);
  }

 private:
  std::vector<int> p_;
  double ln_off_, ln_on_, threshold_, band_;
};

/// A contact that a person moves: lg of its conductance follows what the bench says, 0 open to 1 closed.
class Contact final : public Device {
 public:
  explicit Contact(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        ln_open_(-std::log(c.value("open_resistance"))),
        ln_closed_(-std::log(c.value("value"))),
        rest_(c.text("rest") == "closed" ? 1 : 0),
        wave_(c.part ? c.part->wave : std::nullopt) {}

  void stamp(Stamp& s) const override {
    const double share = !wave_ ? rest_ : wave_->at(s.at_rest ? 0 : s.time);
    const double g = std::exp(ln_open_ + (ln_closed_ - ln_open_) * share);
    s.add_current(a_, b_, g * (s.v(a_) - s.v(b_)), g);
  }

  double next_corner(double time) const override { return wave_ ? wave_->next_corner(time) : kNoCorner; }
  // Its matrix changes while it moves.
  bool linear_at(std::span<const double>) const override { return !wave_; }
  bool always_linear() const override { return !wave_; }

 private:
  int a_, b_;
  double ln_open_, ln_closed_, rest_;
  std::optional<Waveform> wave_;
};

/// Two switches in anti-phase from `in` to `out` and from `ground` to `out`, driven by an inner clock.
class SwitchingStage final : public Device {
 public:
  explicit SwitchingStage(const DeviceContext& c)
      : in_(c.pins[0]),
        out_(c.pins[1]),
        ground_(c.pins[2]),
        r_on_(c.value("value")),
        r_off_(c.value("off_resistance")),
        clock_(pulse(0, 1, c.value("edge"), c.value("edge"), c.value("duty") / c.value("frequency"),
                     1 / c.value("frequency"))) {}

  void stamp(Stamp& s) const override {
    // lg of the conductances moves in a straight line along an edge, so one is always open enough and no short is left.
    const double on = s.at_rest ? clock_.at(0) : clock_.at(s.time), span = std::log(r_off_ / r_on_);
    const double high = std::exp(span * on) / r_off_, low = std::exp(span * (1 - on)) / r_off_;
    s.add_current(in_, out_, high * (s.v(in_) - s.v(out_)), high);
    s.add_current(ground_, out_, low * (s.v(ground_) - s.v(out_)), low);
  }

  double next_corner(double time) const override { return clock_.next_corner(time); }
  // Its matrix changes with time, so nothing may be reused from one instant to the next.
  bool linear_at(std::span<const double>) const override { return false; }
  bool always_linear() const override { return false; }

 private:
  int in_, out_, ground_;
  double r_on_, r_off_;
  Waveform clock_;
};

/// The same stage averaged over a period (state-space averaging, Middlebrook and Cuk 1976): out sits behind the
/// switches' resistance at duty times in; the input gives duty times the current and what the gates and edges take. One
/// that holds a voltage turns its duty against the line (feed-forward), up to its highest.
class AveragedStage final : public Device {
 public:
  explicit AveragedStage(const DeviceContext& c)
      : in_(c.pins[0]),
        out_(c.pins[1]),
        ground_(c.pins[2]),
        duty_(c.value("duty")),
        holds_(c.value("holds")),
        g_(1 / c.value("value")),
        overhead_(c.value("frequency") * c.value("switching_charge")) {}

  bool linear_at(std::span<const double>) const override { return holds_ == 0; }
  bool always_linear() const override { return holds_ == 0; }

  void stamp(Stamp& s) const override {
    const double in = s.v(in_) - s.v(ground_), out = s.v(out_) - s.v(ground_);
    // Of the voltage behind the switches, and of the duty that makes it, with their slopes over the input.
    double behind = duty_ * in, behind_slope = duty_, duty = duty_, duty_slope = 0;
    constexpr double kRound = 5e-3, kOff = 1e-3;
    if (holds_ > 0 && in > kOff) {
      const auto least = soft_least(holds_, duty_ * in, kRound);
      behind = least.value;
      behind_slope = least.slope_b * duty_;
      duty = behind / in;
      duty_slope = (behind_slope - duty) / in;
    }
    const double i = g_ * (behind - out), i_in = g_ * behind_slope, i_out = -g_;
    const auto add = [&](int node, double f, double to_in, double to_out) {
      s.add_f(node, f);
      s.add_g(node, in_, to_in);
      s.add_g(node, out_, to_out);
      s.add_g(node, ground_, -to_in - to_out);
    };
    const double drawn_in = duty * i_in + duty_slope * i, drawn_out = duty * i_out;
    add(out_, -i, -i_in, -i_out);
    add(in_, duty * i + overhead_, drawn_in, drawn_out);
    add(ground_, i - duty * i - overhead_, i_in - drawn_in, i_out - drawn_out);
  }

 private:
  int in_, out_, ground_;
  double duty_, holds_, g_, overhead_;
};

std::string check_duty(const Part& part) {
  const double duty = part.values.at("duty").value;
  if (!(duty > 0 && duty < 1)) return "duty: lies between 0 and 1";
  if (part.values.contains("edge") &&
      part.values.at("edge").value * part.values.at("frequency").value >= std::min(duty, 1 - duty))
    return "edge: is longer than the shorter part of the period";
  return "";
}

}  // namespace

std::vector<PartKind> switches() {
  return {{.name = "switch",
           .pins = {"a", "b", "plus", "minus"},
           .values = {{"value", "ohm", true, 0, Sign::positive, "while on"},
                      {"off_resistance", "ohm", false, 1e9, Sign::positive, "while off"},
                      {"threshold", "V", false, 0.5, Sign::any, "of v(plus, minus)"},
                      {"band", "V", false, 0.2, Sign::positive, "over which it changes"}},
           .make = build<Switch>},
          {.name = "contact",
           .pins = {"a", "b"},
           .values = {{"value", "ohm", false, 20e-3, Sign::positive, "while closed"},
                      {"open_resistance", "ohm", false, 1e9, Sign::positive, "while open"},
                      {"bounce", "s", false, 0, Sign::not_negative, "in which it touches several times"}},
           .two_terminal = true,
           .make = build<Contact>,
           .texts = {{"rest", {"open", "closed"}}}},
          {.name = "switching stage",
           .pins = {"in", "out", "ground"},
           .values = {{"value", "ohm", true, 0, Sign::positive, "of a switch while on"},
                      {"off_resistance", "ohm", false, 1e7, Sign::positive, "while off"},
                      {"duty", "1", true, 0, Sign::positive, "share of the period that in is connected"},
                      {"frequency", "Hz", true, 0, Sign::positive, "of the clock"},
                      {"edge", "s", false, 5e-9, Sign::positive, "time of a change"}},
           .make = build<SwitchingStage>,
           .check = check_duty},
          {.name = "averaged stage",
           .pins = {"in", "out", "ground"},
           .values = {{"value", "ohm", true, 0, Sign::positive, "of a switch while on"},
                      {"duty", "1", true, 0, Sign::positive, "share of the period that in is connected"},
                      {"frequency", "Hz", true, 0, Sign::positive, "of the clock"},
                      {"switching_charge", "C", false, 0, Sign::not_negative, "that gates and edges take a period"},
                      {"holds", "V", false, 0, Sign::not_negative, "behind the switches, duty its highest; 0: the duty stands"}},
           .make = build<AveragedStage>,
           .check = check_duty}};
}

}  // namespace heron::sim::parts
