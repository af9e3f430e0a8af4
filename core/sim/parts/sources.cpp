#include <algorithm>
#include <cmath>
#include <numbers>

#include "sim/parts/parts.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

/// The waveform that a part's values, its word for the shape and its points describe. A phase is in degrees, as files
/// and people say it.
Waveform waveform(const DeviceContext& c) {
  const Part& part = *c.part;
  if (part.wave) return *part.wave;
  const double offset = c.value("value"), peak = c.value("peak"), frequency = c.value("frequency");
  Waveform w{.offset = offset};
  const std::string& shape = c.text("shape");
  const double period = 1 / frequency, rise = std::max(c.value("rise"), 1e-6 * period), low = -peak, high = peak;
  if (!part.points.empty()) {
    w = {.shape = Waveform::Shape::lines, .offset = offset, .points = part.points, .period = c.value("repeat_after")};
  } else if (shape == "pulse") {
    const double width = c.value("width") > 0 ? c.value("width") : period / 2;
    w = pulse(0, peak, rise, rise, width, period);
  } else if (shape == "triangle") {
    w = triangle(low, high, 0.5, period);
  } else if (shape == "ramp") {
    w = triangle(low, high, 1 - 1e-4, period);
  } else if (shape == "noise") {
    std::uint64_t seed = 1469598103934665603ull;
    for (const char letter : part.name) seed = (seed ^ static_cast<unsigned char>(letter)) * 1099511628211ull;
    w = {.shape = Waveform::Shape::noise, .rms = peak, .bandwidth = frequency, .seed = seed};
  } else if (peak != 0) {
    w = {.shape = Waveform::Shape::sine,
         .peak = peak,
         .frequency = frequency,
         .phase = c.value("phase") * std::numbers::pi / 180};
  }
  w.offset = offset;
  w.delay = c.value("delay");
  w.cycles = static_cast<long long>(c.value("cycles"));
  return w;
}

class VoltageSource final : public Device {
 public:
  explicit VoltageSource(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), i_(c.extra[0]), wave_(waveform(c)) {}

  void stamp(Stamp& s) const override {
    s.add_f(a_, s.v(i_));
    s.add_f(b_, -s.v(i_));
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, s.v(a_) - s.v(b_) - s.source_share * wave_.at(s.time));
    s.add_g(i_, a_, 1);
    s.add_g(i_, b_, -1);
  }

  double next_corner(double time) const override { return wave_.next_corner(time); }

 private:
  int a_, b_, i_;
  Waveform wave_;
};

/// Drives its current out of pin a, through the circuit, into pin b.
class CurrentSource final : public Device {
 public:
  explicit CurrentSource(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), wave_(waveform(c)) {}

  void stamp(Stamp& s) const override {
    const double i = s.source_share * wave_.at(s.time);
    s.add_f(a_, -i);
    s.add_f(b_, i);
  }

  double next_corner(double time) const override { return wave_.next_corner(time); }

 private:
  int a_, b_;
  Waveform wave_;
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

std::vector<ValueRule> wave_rules(std::string_view unit) {
  return {{"value", unit, false, 0, Sign::any, "steady part"},
          {"peak", unit, false, 0, Sign::any, "of the changing part; rms of noise"},
          {"frequency", "Hz", false, 1, Sign::positive, "of the period; bandwidth of noise"},
          {"phase", "deg", false, 0, Sign::any, "of a sine, which is a cosine at 0"},
          {"rise", "s", false, 0, Sign::not_negative, "and fall of a pulse"},
          {"width", "s", false, 0, Sign::not_negative, "of a pulse; 0: half the period"},
          {"delay", "s", false, 0, Sign::not_negative, "before it starts"},
          {"cycles", "1", false, 0, Sign::not_negative, "0: for ever"},
          {"repeat_after", "s", false, 0, Sign::not_negative, "of a list of points; 0: once"}};
}

std::string check_wave(const Part& part) {
  const double repeat = part.values.at("repeat_after").value, period = 1 / part.values.at("frequency").value;
  if (repeat > 0 && !part.points.empty() && repeat < part.points.back().first)
    return "repeat_after: is before the last point";
  if (part.texts.at("shape") == "pulse" &&
      part.values.at("width").value + part.values.at("rise").value > period * (1 + 1e-9))
    return "width: the pulse with its edges is longer than its period";
  return "";
}

const std::vector<TextRule> kShapes = {{"shape", {"sine", "pulse", "triangle", "ramp", "noise"}}};

}  // namespace

std::vector<PartKind> sources() {
  const std::vector<std::string_view> two = {"a", "b"}, four = {"a", "b", "plus", "minus"};
  return {
      {.name = "voltage source",
       .pins = two,
       .values = wave_rules("V"),
       .extra_unknowns = 1,
       .two_terminal = true,
       .make = build<VoltageSource>,
       .texts = kShapes,
       .takes_points = true,
       .ideal_voltage = true,
       .check = check_wave},
      {.name = "current source",
       .pins = two,
       .values = wave_rules("A"),
       .two_terminal = true,
       .make = build<CurrentSource>,
       .texts = kShapes,
       .takes_points = true,
       .check = check_wave},
      {.name = "voltage by voltage",
       .pins = four,
       .values = {{.key = "value", .unit = "1"}},
       .extra_unknowns = 1,
       .make = build<VoltageByVoltage>,
       .ideal_voltage = true},
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
       .make = build<VoltageByCurrent>,
       .ideal_voltage = true},
      {.name = "current by current",
       .pins = two,
       .values = {{.key = "value", .unit = "1"}},
       .needs_control = true,
       .two_terminal = true,
       .make = build<CurrentByCurrent>},
  };
}

}  // namespace heron::sim::parts
