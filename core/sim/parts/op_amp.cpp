#include <algorithm>
#include <cmath>
#include <numbers>

#include "sim/parts/parts.h"
#include "sim/parts/smooth.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

/// One-pole op amp: dz/dt = slew limit of 2 pi GBW (v+ - v- + offset) - z 2 pi GBW / A0, driving the output through its
/// resistance up to its current limit.
///
/// Between the rails, below half the slew rate and half the output limit it is exactly linear. Beyond a rail a
/// restoring term, quadratic so that the slope is continuous, holds the inner state within some tens of millivolts of
/// the rail, so recovery from clipping starts at once.
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
        slew_(c.value("slew_rate")),
        limit_(c.value("output_limit")),
        offset_(c.value("offset")),
        noise_(c.value("noise_density")),
        restoring_(unity_ * 2500) {}

  void stamp(Stamp& s) const override {
    const double z = s.v(z_);
    const double over = std::max(0.0, z - high_), under = std::max(0.0, low_ - z);
    double drive = unity_ * (s.v(plus_) - s.v(minus_) + offset_ * s.source_share), d_drive = unity_;
    if (slew_ > 0) {
      const auto bent = soft_limit(drive / slew_);
      drive = slew_ * bent.value;
      d_drive *= bent.slope;
    }
    s.add_q(z_, z);
    s.add_c(z_, z_, 1);
    s.add_f(z_, pole_ * z - drive + restoring_ * (over * over - under * under));
    s.add_g(z_, z_, pole_ + 2 * restoring_ * (over + under));
    s.add_g(z_, plus_, -d_drive);
    s.add_g(z_, minus_, d_drive);
    double i = g_out_ * (s.v(out_) - z), g = g_out_;
    if (limit_ > 0) {
      const auto bent = soft_limit(i / limit_);
      i = limit_ * bent.value;
      g *= bent.slope;
    }
    s.add_f(out_, i);
    s.add_g(out_, out_, g);
    s.add_g(out_, z_, -g);
  }

  bool always_linear() const override { return false; }
  bool linear_at(std::span<const double> x) const override {
    const auto v = [&](int k) { return k < 0 ? 0.0 : x[std::size_t(k)]; };
    const double z = v(z_);
    return z <= high_ && z >= low_ &&
           (slew_ == 0 || std::abs(unity_ * (v(plus_) - v(minus_) + offset_)) <= 0.5 * slew_) &&
           (limit_ == 0 || std::abs(g_out_ * (v(out_) - z)) <= 0.5 * limit_);
  }

  std::vector<Noise> noise(std::span<const double>) const override {
    if (noise_ <= 0) return {};
    return {{Stamp::ground, z_, unity_ * noise_}};
  }

 private:
  int plus_, minus_, out_, z_;
  double unity_, pole_, high_, low_, g_out_, slew_, limit_, offset_, noise_, restoring_;
};

/// A pass element behind a loop: the loop's output follows the smaller of the set voltage (with what the line adds) and
/// the input less the dropout; the current out of it is never negative and never above the limit.
class LinearRegulator final : public BentDevice {
 public:
  explicit LinearRegulator(const DeviceContext& c)
      : in_(c.pins[0]),
        out_(c.pins[1]),
        ground_(c.pins[2]),
        z_(c.extra[0]),
        i_(c.extra[1]),
        set_(c.value("value")),
        line_(std::pow(10, -c.value("line_rejection") / 20)),
        nominal_(c.value("nominal_input")),
        dropout_(c.value("dropout_resistance")),
        r_out_(c.value("load_resistance")),
        limit_(c.value("current_limit")),
        own_(c.value("ground_current")),
        tau_(1 / (2 * std::numbers::pi * c.value("loop_bandwidth"))) {}

  void stamp(Stamp& s) const override {
    const double in = s.v(in_) - s.v(ground_), z = s.v(z_), i = s.v(i_);
    const auto target = soft_least(set_ + line_ * (in - nominal_), in - dropout_ * i, 2e-3);
    s.add_f(z_, z - target.value);
    s.add_g(z_, z_, 1);
    const double d_in = line_ * target.slope_a + target.slope_b;
    s.add_g(z_, in_, -d_in);
    s.add_g(z_, ground_, d_in);
    s.add_g(z_, i_, dropout_ * target.slope_b);
    s.add_q(z_, tau_ * z);
    s.add_c(z_, z_, tau_);

    constexpr double kRound = 1e-4;
    const double u = (z - (s.v(out_) - s.v(ground_))) / (r_out_ * limit_);
    const auto positive = soft_plus(u / kRound);
    const auto bent = soft_limit(kRound * positive.value, 0.9);
    const double d = positive.slope * bent.slope / r_out_;
    s.add_f(i_, i - limit_ * bent.value);
    s.add_g(i_, i_, 1);
    s.add_g(i_, z_, -d);
    s.add_g(i_, out_, d);
    s.add_g(i_, ground_, -d);
    const double t = std::tanh(in / 0.5), own = own_ * t, g_own = own_ * (1 - t * t) / 0.5;
    s.add_f(out_, -i);
    s.add_g(out_, i_, -1);
    s.add_f(in_, i);
    s.add_g(in_, i_, 1);
    s.add_current(in_, ground_, own, g_own);
  }

 private:
  int in_, out_, ground_, z_, i_;
  double set_, line_, nominal_, dropout_, r_out_, limit_, own_, tau_;
};

}  // namespace

std::vector<PartKind> op_amps() {
  return {{.name = "op amp",
           .pins = {"plus", "minus", "out"},
           .values = {{"gain_bandwidth", "Hz", true, 0, Sign::positive, "product"},
                      {"open_loop_gain", "dB", false, 110, Sign::positive, "at no frequency"},
                      {"rail_high", "V", true, 0, Sign::any, "highest output"},
                      {"rail_low", "V", true, 0, Sign::any, "lowest output"},
                      {"output_resistance", "ohm", false, 50, Sign::positive, "without feedback"},
                      {"slew_rate", "V/s", false, 0, Sign::not_negative, "0: no limit"},
                      {"output_limit", "A", false, 0, Sign::not_negative, "0: no limit"},
                      {"offset", "V", false, 0, Sign::any, "at the input"},
                      {"noise_density", "V/rtHz", false, 0, Sign::not_negative, "at the input, white"}},
           .extra_unknowns = 1,
           .make = build<OpAmp>,
           .check = [](const Part& p) -> std::string {
             return p.values.at("rail_high").value > p.values.at("rail_low").value
                        ? ""
                        : "rail_high: must be above rail_low";
           }},
          {.name = "linear regulator",
           .pins = {"in", "out", "ground"},
           .values = {{"value", "V", true, 0, Sign::positive, "output at no load and nominal input"},
                      {"nominal_input", "V", true, 0, Sign::positive, "where the line adds nothing"},
                      {"line_rejection", "dB", false, 70, Sign::positive, "input change over output change"},
                      {"load_resistance", "ohm", false, 10e-3, Sign::positive, "output drop over current"},
                      {"dropout_resistance", "ohm", false, 1, Sign::positive, "of the pass element fully on"},
                      {"current_limit", "A", true, 0, Sign::positive, ""},
                      {"ground_current", "A", false, 0, Sign::not_negative, "that it takes itself"},
                      {"loop_bandwidth", "Hz", false, 100e3, Sign::positive, ""}},
           .extra_unknowns = 2,
           .make = build<LinearRegulator>}};
}

}  // namespace heron::sim::parts
