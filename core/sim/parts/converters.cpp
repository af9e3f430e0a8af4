#include <cmath>

#include "sim/converter.h"
#include "sim/parts/parts.h"

namespace heron::sim::parts {
namespace {

using Sign = ValueRule::Sign;

/// What its pin of codes stands for is the voltage it converts, out of an ohm that nothing of a code reader loads.
class AnalogueSide final : public Device {
 public:
  explicit AnalogueSide(const DeviceContext& c)
      : in_(c.pins[0]), codes_(c.pins[1]), common_(c.pins[2]), g_(1 / c.value("input_resistance")), c_(c.value("input_capacitance")) {}

  void stamp(Stamp& s) const override {
    const double v = s.v(in_) - s.v(common_);
    s.add_current(in_, common_, g_ * v, g_);
    s.add_charge(in_, common_, c_ * v, c_);
    const double beyond = s.v(codes_) - s.v(in_);
    s.add_f(codes_, beyond);
    s.add_f(common_, -beyond);
    s.add_g(codes_, codes_, 1);
    s.add_g(codes_, in_, -1);
    s.add_g(common_, codes_, -1);
    s.add_g(common_, in_, 1);
  }

 private:
  int in_, codes_, common_;
  double g_, c_;
};

std::string sound(const Part& part) {
  const auto value = [&](const char* key) { return part.values.at(key).value; };
  const double bits = value("bits");
  if (bits != std::round(bits) || bits < 2 || bits > kMostBits) return fmt::format("bits: a whole number from 2 to {} is wanted", kMostBits);
  if (!(value("full_scale") > 0)) return "full_scale: a voltage above zero is wanted";
  const double half = std::pow(2.0, bits - 1), place = value("wide_code");
  if (value("wide_by") > 0 && (place != std::round(place) || place <= -half + 1 || place >= half - 2))
    return fmt::format("wide_code: a code between {} and {} is wanted", -half + 1, half - 2);
  return {};
}

}  // namespace

std::vector<PartKind> converters() {
  return {{.name = "converter",
           .pins = {"in", "codes", "common"},
           .values = {{"full_scale", "V", true, 0, Sign::positive, "peak amplitude of a sine that just fills it"},
                      {"bits", "1", true, 0, Sign::positive, "of its codes, two's complement"},
                      {"noise", "V", false, 0, Sign::not_negative, "rms, before it rounds"},
                      {"jitter", "s", false, 0, Sign::not_negative, "rms, of its sampling instants"},
                      {"spur", "V", false, 0, Sign::not_negative, "rms, a line at a quarter of its clock"},
                      {"bow", "1", false, 0, Sign::any, "steps, that its transitions stray by as an S"},
                      {"lean", "1", false, 0, Sign::any, "steps, that its transitions stray by as an arch"},
                      {"uneven", "1", false, 0, Sign::not_negative, "steps rms, that each transition strays by"},
                      {"wide_code", "1", false, 0, Sign::any, "the code that is too wide"},
                      {"wide_by", "1", false, 0, Sign::not_negative, "steps"},
                      {"input_resistance", "ohm", false, 1e6, Sign::positive},
                      {"input_capacitance", "F", false, 5e-12, Sign::not_negative}},
           .make = build<AnalogueSide>,
           .converts = true,
           .check = sound}};
}

}  // namespace heron::sim::parts
