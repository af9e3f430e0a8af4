#include <cmath>
#include <numbers>

#include "sim/parts/parts.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

/// A direct-current motor: v = R i + L di/dt + k w; J dw/dt = k i - B w - load tanh(w/1) - drag w |w|.
class Motor final : public BentDevice {
 public:
  explicit Motor(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        i_(c.extra[0]),
        w_(c.extra[1]),
        k_(c.value("value")),
        r_(c.value("resistance")),
        l_(c.value("inductance")),
        inertia_(c.value("inertia")),
        friction_(c.value("friction")),
        load_(c.value("load")),
        drag_(c.value("drag")) {}

  void stamp(Stamp& s) const override {
    const double i = s.v(i_), w = s.v(w_);
    s.add_f(a_, i);
    s.add_f(b_, -i);
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, r_ * i + k_ * w - (s.v(a_) - s.v(b_)));
    s.add_g(i_, i_, r_);
    s.add_g(i_, w_, k_);
    s.add_g(i_, a_, -1);
    s.add_g(i_, b_, 1);
    s.add_q(i_, l_ * i);
    s.add_c(i_, i_, l_);
    const double t = std::tanh(w);
    s.add_f(w_, friction_ * w + load_ * t + drag_ * w * std::abs(w) - k_ * i);
    s.add_g(w_, w_, friction_ + load_ * (1 - t * t) + 2 * drag_ * std::abs(w));
    s.add_g(w_, i_, -k_);
    s.add_q(w_, inertia_ * w);
    s.add_c(w_, w_, inertia_);
  }

 private:
  int a_, b_, i_, w_;
  double k_, r_, l_, inertia_, friction_, load_, drag_;
};

/// One phase of a permanent-magnet machine that turns steadily: R, L and a back-emf sine.
class MotorWinding final : public Device {
 public:
  explicit MotorWinding(const DeviceContext& c)
      : a_(c.pins[0]),
        b_(c.pins[1]),
        i_(c.extra[0]),
        l_(c.value("value")),
        r_(c.value("resistance")),
        emf_{.shape = Waveform::Shape::sine,
             .peak = c.value("back_emf"),
             .frequency = c.value("frequency"),
             .phase = c.value("phase") * std::numbers::pi / 180} {}

  void stamp(Stamp& s) const override {
    const double i = s.v(i_);
    s.add_f(a_, i);
    s.add_f(b_, -i);
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, r_ * i + s.source_share * emf_.at(s.time) - (s.v(a_) - s.v(b_)));
    s.add_g(i_, i_, r_);
    s.add_g(i_, a_, -1);
    s.add_g(i_, b_, 1);
    s.add_q(i_, l_ * i);
    s.add_c(i_, i_, l_);
  }

 private:
  int a_, b_, i_;
  double l_, r_;
  Waveform emf_;
};

}  // namespace

std::vector<PartKind> motors() {
  return {{.name = "motor",
           .pins = {"a", "b"},
           .values = {{"value", "Nm/A", true, 0, Sign::positive, "torque constant; the same in V s/rad"},
                      {"resistance", "ohm", true, 0, Sign::positive, "of the armature"},
                      {"inductance", "H", true, 0, Sign::positive, "of the armature"},
                      {"inertia", "kgm2", true, 0, Sign::positive, "of rotor and load"},
                      {"friction", "Nms", false, 0, Sign::not_negative, "torque over speed"},
                      {"load", "Nm", false, 0, Sign::not_negative, "steady torque against the turning"},
                      {"drag", "1", false, 0, Sign::not_negative, "torque over the square of the speed, in Nm s2"}},
           .extra_unknowns = 2,
           .two_terminal = true,
           .make = build<Motor>},
          {.name = "motor winding",
           .pins = {"a", "b"},
           .values = {{"value", "H", true, 0, Sign::positive, "inductance of the phase"},
                      {"resistance", "ohm", true, 0, Sign::positive, "of the phase"},
                      {"back_emf", "V", true, 0, Sign::not_negative, "peak"},
                      {"frequency", "Hz", true, 0, Sign::positive, "electrical"},
                      {"phase", "deg", false, 0, Sign::any, "of the back-emf, a cosine at 0"}},
           .extra_unknowns = 1,
           .two_terminal = true,
           .make = build<MotorWinding>}};
}

}  // namespace heron::sim::parts
