#include <cmath>

#include "sim/parts/parts.h"
#include "sim/parts/smooth.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

constexpr double kSharp = 0.98;  ///< share of a limit up to which nothing bends

/// Holds a voltage between its sense pins by a current out of a into b, until the current limit holds instead.
///
/// Written as the voltage that is lost for a current: R i within the limits, rising steeply beyond. Newton finds its
/// way along that from anywhere, which it does not along a current that stops rising.
class LimitedVoltage final : public BentDevice {
 public:
  explicit LimitedVoltage(const DeviceContext& c)
      : p_(c.pins),
        i_(c.extra[0]),
        set_(c.value("value")),
        r_(c.value("resistance")),
        limit_(c.value("current_limit")),
        sink_(c.value("sink_limit") > 0 ? c.value("sink_limit") : c.value("current_limit")),
        wave_(c.part ? c.part->wave : std::nullopt) {}

  void stamp(Stamp& s) const override {
    const double i = s.v(i_), round = kRound * limit_, beyond = kBeyond / limit_;
    const auto over = soft_plus((i - limit_) / round), under = soft_plus((-i - sink_) / round);
    const double lost = r_ * i + beyond * round * (over.value - under.value);
    s.add_f(p_[0], -i);
    s.add_f(p_[1], i);
    s.add_g(p_[0], i_, -1);
    s.add_g(p_[1], i_, 1);
    const double set = wave_ ? wave_->at(s.at_rest ? 0 : s.time) : set_;
    s.add_f(i_, s.v(p_[2]) - s.v(p_[3]) - set * s.source_share + lost);
    s.add_g(i_, p_[2], 1);
    s.add_g(i_, p_[3], -1);
    s.add_g(i_, i_, r_ + beyond * (over.slope + under.slope));
  }

  bool linear_at(std::span<const double> x) const override {
    const double i = x[std::size_t(i_)];
    return i < kSharp * limit_ && i > -kSharp * sink_;
  }
  double next_corner(double time) const override { return wave_ ? wave_->next_corner(time) : kNoCorner; }

 private:
  static constexpr double kRound = 5e-4;  ///< of the limit, over which it bends
  static constexpr double kBeyond = 2e5;  ///< V that a current of twice the limit would cost
  std::vector<int> p_;
  int i_;
  double set_, r_, limit_, sink_;
  std::optional<Waveform> wave_;  ///< where it is switched on
};

/// Gives a current out of a into b until the voltage between them reaches the limit, which then holds.
class LimitedCurrent final : public BentDevice {
 public:
  explicit LimitedCurrent(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        set_(c.value("value")),
        limit_(c.value("voltage_limit")),
        g_(1 / c.value("resistance")) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(a_) - s.v(b_);
    const auto bent = soft_limit(v / limit_, kSharp);
    // What the voltage has beyond its limit comes back through the clamp.
    const double back = g_ * (v - limit_ * bent.value), slope = g_ * (1 - bent.slope);
    s.add_current(a_, b_, back - set_ * s.source_share, slope);
  }

 private:
  int a_, b_;
  double set_, limit_, g_;
};

/// Takes a constant current, is a constant resistance, or takes a constant power, from a to b, up to its current limit.
class ElectronicLoad final : public BentDevice {
 public:
  explicit ElectronicLoad(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        mode_(c.text("mode")),
        current_(c.value("current")),
        g_(1 / c.value("resistance")),
        power_(c.value("power")),
        start_(c.value("start_voltage")),
        limit_(c.value("current_limit")),
        wave_(c.part ? c.part->wave : std::nullopt) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(a_) - s.v(b_);
    Bent i;
    if (mode_ == "current") {
      const auto on = soft_limit(v / start_);
      const double set = wave_ ? wave_->at(s.at_rest ? 0 : s.time) * s.source_share : current_;
      i = {set * on.value, set * on.slope / start_};
    } else if (mode_ == "resistance") {
      i = {g_ * v, g_};
    } else {
      const double d = v * v + start_ * start_;
      i = {power_ * v / d, power_ * (start_ * start_ - v * v) / (d * d)};
    }
    const auto bent = soft_limit(i.value / limit_, 0.9);
    s.add_current(a_, b_, limit_ * bent.value, bent.slope * i.slope);
  }
  double next_corner(double time) const override { return wave_ ? wave_->next_corner(time) : kNoCorner; }

 private:
  int a_, b_;
  std::string mode_;
  double current_, g_, power_, start_, limit_;
  std::optional<Waveform> wave_;  ///< the current, where it steps
};

/// Holds out against ref at what it is told, through one resistance while it is high and another while it is low.
class GateDriver final : public Device {
 public:
  explicit GateDriver(const DeviceContext& c)
      : out_(c.pins[0]),
        ref_(c.pins[1]),
        low_(c.value("low")),
        high_(c.value("high")),
        g_on_(1 / c.value("on_resistance")),
        g_off_(1 / c.value("off_resistance")),
        wave_(c.part ? c.part->wave : std::nullopt) {}

  void stamp(Stamp& s) const override {
    const double share = wave_ ? wave_->at(s.at_rest ? 0 : s.time) : 0, emf = low_ + share * (high_ - low_), g = g_off_ + share * (g_on_ - g_off_);
    s.add_current(out_, ref_, g * (s.v(out_) - s.v(ref_) - emf * s.source_share), g);
  }

  double next_corner(double time) const override { return wave_ ? wave_->next_corner(time) : kNoCorner; }
  // Its matrix changes while it moves.
  bool linear_at(std::span<const double>) const override { return !wave_; }
  bool always_linear() const override { return !wave_; }

 private:
  int out_, ref_;
  double low_, high_, g_on_, g_off_;
  std::optional<Waveform> wave_;  ///< 0 low, 1 high
};

}  // namespace

std::vector<PartKind> bench_sources() {
  return {{.name = "limited voltage",
           .pins = {"a", "b", "sense_a", "sense_b"},
           .values = {{"value", "V", true, 0, Sign::any, "between the sense pins"},
                      {"current_limit", "A", true, 0, Sign::positive, "out of a"},
                      {"sink_limit", "A", false, 0, Sign::not_negative, "into a; 0: the same"},
                      {"resistance", "ohm", false, 1e-3, Sign::positive, "output, while it holds the voltage"}},
           .extra_unknowns = 1,
           .make = build<LimitedVoltage>},
          {.name = "limited current",
           .pins = {"a", "b"},
           .values = {{"value", "A", true, 0, Sign::any, "out of a"},
                      {"voltage_limit", "V", true, 0, Sign::positive, "of v(a, b), both ways"},
                      {"resistance", "ohm", false, 0.1, Sign::positive, "while the limit holds"}},
           .two_terminal = true,
           .make = build<LimitedCurrent>},
          {.name = "gate driver",
           .pins = {"out", "ref"},
           .values = {{"low", "V", true, 0, Sign::any, ""},
                      {"high", "V", true, 0, Sign::any, ""},
                      {"on_resistance", "ohm", true, 0, Sign::positive, "while it is high"},
                      {"off_resistance", "ohm", true, 0, Sign::positive, "while it is low"}},
           .two_terminal = true,
           .make = build<GateDriver>},
          {.name = "electronic load",
           .pins = {"a", "b"},
           .values = {{"current", "A", false, 0, Sign::not_negative, "in mode current"},
                      {"resistance", "ohm", false, 1e3, Sign::positive, "in mode resistance"},
                      {"power", "W", false, 0, Sign::not_negative, "in mode power"},
                      {"start_voltage", "V", false, 0.1, Sign::positive, "below it takes less"},
                      {"current_limit", "A", false, 30, Sign::positive, ""}},
           .two_terminal = true,
           .make = build<ElectronicLoad>,
           .texts = {{"mode", {"current", "resistance", "power"}}}}};
}

}  // namespace heron::sim::parts
