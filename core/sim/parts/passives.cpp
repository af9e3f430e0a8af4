#include "sim/parts/parts.h"

namespace heron::sim::parts {
namespace {

class Resistor final : public Device {
 public:
  explicit Resistor(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), g_(1 / c.value("value")) {}

  void stamp(Stamp& s) const override {
    const double i = g_ * (s.v(a_) - s.v(b_));
    s.add_f(a_, i);
    s.add_f(b_, -i);
    s.add_g(a_, a_, g_);
    s.add_g(a_, b_, -g_);
    s.add_g(b_, a_, -g_);
    s.add_g(b_, b_, g_);
  }

 private:
  int a_, b_;
  double g_;
};

class Capacitor final : public Device {
 public:
  explicit Capacitor(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), c_(c.value("value")) {}

  void stamp(Stamp& s) const override {
    const double q = c_ * (s.v(a_) - s.v(b_));
    s.add_q(a_, q);
    s.add_q(b_, -q);
    s.add_c(a_, a_, c_);
    s.add_c(a_, b_, -c_);
    s.add_c(b_, a_, -c_);
    s.add_c(b_, b_, c_);
  }

 private:
  int a_, b_;
  double c_;
};

/// Its current is an unknown; the branch equation v - R i - d(L i)/dt = 0 is written with the sign of a charge.
class Inductor final : public Device {
 public:
  explicit Inductor(const DeviceContext& c)
      : a_(c.pins[0]), b_(c.pins[1]), i_(c.extra[0]), l_(c.value("value")), r_(c.value("resistance")) {}

  void stamp(Stamp& s) const override {
    const double i = s.v(i_);
    s.add_f(a_, i);
    s.add_f(b_, -i);
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, r_ * i - (s.v(a_) - s.v(b_)));
    s.add_g(i_, i_, r_);
    s.add_g(i_, a_, -1);
    s.add_g(i_, b_, 1);
    s.add_q(i_, l_ * i);
    s.add_c(i_, i_, l_);
  }

 private:
  int a_, b_, i_;
  double l_, r_;
};

template <class T>
std::unique_ptr<Device> build(const DeviceContext& c) {
  return std::make_unique<T>(c);
}

}  // namespace

std::vector<PartKind> passives() {
  using Sign = ValueRule::Sign;
  return {
      {.name = "resistor",
       .pins = {"a", "b"},
       .values = {{"value", "ohm", true, 0, Sign::positive}},
       .two_terminal = true,
       .make = build<Resistor>},
      {.name = "capacitor",
       .pins = {"a", "b"},
       .values = {{"value", "F", true, 0, Sign::positive}},
       .two_terminal = true,
       .make = build<Capacitor>},
      {.name = "inductor",
       .pins = {"a", "b"},
       .values = {{"value", "H", true, 0, Sign::positive}, {"resistance", "ohm", false, 0, Sign::not_negative}},
       .extra_unknowns = 1,
       .two_terminal = true,
       .make = build<Inductor>},
  };
}

}  // namespace heron::sim::parts
