#include <algorithm>
#include <cmath>
#include <numbers>

#include "sim/parts/parts.h"

namespace heron::sim::parts {
namespace {

/// One-pole op amp: dz/dt = 2 pi GBW (v+ - v-) - z 2 pi GBW / A0, driving the output through its resistance.
///
/// Between the rails it is exactly linear. Beyond a rail a restoring term, quadratic so that the slope is continuous,
/// holds the inner state within some tens of millivolts of the rail, so recovery from clipping starts at once.
class OpAmp final : public Device {
 public:
  explicit OpAmp(const DeviceContext& c)
      : plus_(c.pins[0]),
        minus_(c.pins[1]),
        out_(c.pins[2]),
        z_(c.extra[0]),
        unity_(2 * std::numbers::pi * c.value("gain_bandwidth")),
        pole_(unity_ / std::pow(10, c.value("open_loop_gain") / 20)),
        high_(c.value("rail_high")),
        low_(c.value("rail_low")),
        g_out_(1 / c.value("output_resistance")),
        restoring_(unity_ * 2500) {}

  void stamp(Stamp& s) const override {
    const double z = s.v(z_);
    const double over = std::max(0.0, z - high_), under = std::max(0.0, low_ - z);
    s.add_q(z_, z);
    s.add_c(z_, z_, 1);
    s.add_f(z_, pole_ * z - unity_ * (s.v(plus_) - s.v(minus_)) + restoring_ * (over * over - under * under));
    s.add_g(z_, z_, pole_ + 2 * restoring_ * (over + under));
    s.add_g(z_, plus_, -unity_);
    s.add_g(z_, minus_, unity_);
    const double i = g_out_ * (s.v(out_) - z);
    s.add_f(out_, i);
    s.add_g(out_, out_, g_out_);
    s.add_g(out_, z_, -g_out_);
  }

  bool always_linear() const override { return false; }
  bool linear_at(std::span<const double> x) const override {
    const double z = x[std::size_t(z_)];
    return z <= high_ && z >= low_;
  }

 private:
  int plus_, minus_, out_, z_;
  double unity_, pole_, high_, low_, g_out_, restoring_;
};

}  // namespace

std::vector<PartKind> op_amps() {
  using Sign = ValueRule::Sign;
  return {{.name = "op amp",
           .pins = {"plus", "minus", "out"},
           .values = {{"gain_bandwidth", "Hz", true, 0, Sign::positive},
                      {"open_loop_gain", "dB", false, 110, Sign::positive},
                      {"rail_high", "V", true, 0, Sign::any},
                      {"rail_low", "V", true, 0, Sign::any},
                      {"output_resistance", "ohm", false, 50, Sign::positive}},
           .extra_unknowns = 1,
           .make = [](const DeviceContext& c) { return std::make_unique<OpAmp>(c); }}};
}

}  // namespace heron::sim::parts
