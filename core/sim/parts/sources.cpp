#include <cmath>
#include <numbers>

#include "sim/parts/parts.h"

namespace heron::sim::parts {
namespace {

/// offset + peak cos(2 pi f t + phase). The phase is in degrees, as files and people say it.
struct Wave {
  double offset, peak, frequency, phase;

  explicit Wave(const DeviceContext& c)
      : offset(c.value("value")),
        peak(c.value("peak")),
        frequency(c.value("frequency")),
        phase(c.value("phase") * std::numbers::pi / 180) {}

  double at(double t) const { return offset + peak * std::cos(2 * std::numbers::pi * frequency * t + phase); }
};

class VoltageSource final : public Device {
 public:
  explicit VoltageSource(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), i_(c.extra[0]), wave_(c) {}

  void stamp(Stamp& s) const override {
    s.add_f(a_, s.v(i_));
    s.add_f(b_, -s.v(i_));
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, s.v(a_) - s.v(b_) - (s.sources_on ? wave_.at(s.time) : 0));
    s.add_g(i_, a_, 1);
    s.add_g(i_, b_, -1);
  }

 private:
  int a_, b_, i_;
  Wave wave_;
};

/// Drives its current out of pin a, through the circuit, into pin b.
class CurrentSource final : public Device {
 public:
  explicit CurrentSource(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), wave_(c) {}

  void stamp(Stamp& s) const override {
    const double i = s.sources_on ? wave_.at(s.time) : 0;
    s.add_f(a_, -i);
    s.add_f(b_, i);
  }

 private:
  int a_, b_;
  Wave wave_;
};

/// v(a, b) = gain v(c, d)
class VoltageByVoltage final : public Device {
 public:
  explicit VoltageByVoltage(const DeviceContext& c) : p_(c.pins), i_(c.extra[0]), gain_(c.value("value")) {}

  void stamp(Stamp& s) const override {
    s.add_f(p_[0], s.v(i_));
    s.add_f(p_[1], -s.v(i_));
    s.add_g(p_[0], i_, 1);
    s.add_g(p_[1], i_, -1);
    s.add_f(i_, s.v(p_[0]) - s.v(p_[1]) - gain_ * (s.v(p_[2]) - s.v(p_[3])));
    s.add_g(i_, p_[0], 1);
    s.add_g(i_, p_[1], -1);
    s.add_g(i_, p_[2], -gain_);
    s.add_g(i_, p_[3], gain_);
  }

 private:
  std::vector<int> p_;
  int i_;
  double gain_;
};

/// Current value * v(c, d) out of pin a into pin b.
class CurrentByVoltage final : public Device {
 public:
  explicit CurrentByVoltage(const DeviceContext& c) : p_(c.pins), gm_(c.value("value")) {}

  void stamp(Stamp& s) const override {
    const double i = gm_ * (s.v(p_[2]) - s.v(p_[3]));
    s.add_f(p_[0], -i);
    s.add_f(p_[1], i);
    s.add_g(p_[0], p_[2], -gm_);
    s.add_g(p_[0], p_[3], gm_);
    s.add_g(p_[1], p_[2], gm_);
    s.add_g(p_[1], p_[3], -gm_);
  }

 private:
  std::vector<int> p_;
  double gm_;
};

/// v(a, b) = value * i, where i flows through the controlling voltage source from its a to its b.
class VoltageByCurrent final : public Device {
 public:
  explicit VoltageByCurrent(const DeviceContext& c)
      : a_(c.pins[0]), b_(c.pins[1]), i_(c.extra[0]), control_(c.control_current), r_(c.value("value")) {}

  void stamp(Stamp& s) const override {
    s.add_f(a_, s.v(i_));
    s.add_f(b_, -s.v(i_));
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, s.v(a_) - s.v(b_) - r_ * s.v(control_));
    s.add_g(i_, a_, 1);
    s.add_g(i_, b_, -1);
    s.add_g(i_, control_, -r_);
  }

 private:
  int a_, b_, i_, control_;
  double r_;
};

/// Current value * i out of pin a into pin b.
class CurrentByCurrent final : public Device {
 public:
  explicit CurrentByCurrent(const DeviceContext& c)
      : a_(c.pins[0]), b_(c.pins[1]), control_(c.control_current), gain_(c.value("value")) {}

  void stamp(Stamp& s) const override {
    const double i = gain_ * s.v(control_);
    s.add_f(a_, -i);
    s.add_f(b_, i);
    s.add_g(a_, control_, -gain_);
    s.add_g(b_, control_, gain_);
  }

 private:
  int a_, b_, control_;
  double gain_;
};

template <class T>
std::unique_ptr<Device> build(const DeviceContext& c) {
  return std::make_unique<T>(c);
}

std::vector<ValueRule> wave_rules(std::string_view unit) {
  using Sign = ValueRule::Sign;
  return {{"value", unit, false, 0, Sign::any},
          {"peak", unit, false, 0, Sign::any},
          {"frequency", "Hz", false, 1, Sign::positive},
          {"phase", "deg", false, 0, Sign::any}};
}

}  // namespace

std::vector<PartKind> sources() {
  const std::vector<std::string_view> two = {"a", "b"}, four = {"a", "b", "plus", "minus"};
  return {
      {.name = "voltage source",
       .pins = two,
       .values = wave_rules("V"),
       .extra_unknowns = 1,
       .two_terminal = true,
       .make = build<VoltageSource>},
      {.name = "current source",
       .pins = two,
       .values = wave_rules("A"),
       .two_terminal = true,
       .make = build<CurrentSource>},
      {.name = "voltage by voltage",
       .pins = four,
       .values = {{.key = "value", .unit = "1"}},
       .extra_unknowns = 1,
       .make = build<VoltageByVoltage>},
      {.name = "current by voltage",
       .pins = four,
       .values = {{.key = "value", .unit = "S"}},
       .make = build<CurrentByVoltage>},
      {.name = "voltage by current",
       .pins = two,
       .values = {{.key = "value", .unit = "ohm"}},
       .extra_unknowns = 1,
       .needs_control = true,
       .two_terminal = true,
       .make = build<VoltageByCurrent>},
      {.name = "current by current",
       .pins = two,
       .values = {{.key = "value", .unit = "1"}},
       .needs_control = true,
       .two_terminal = true,
       .make = build<CurrentByCurrent>},
  };
}

}  // namespace heron::sim::parts
