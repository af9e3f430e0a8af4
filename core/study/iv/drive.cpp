#include "study/iv/drive.h"

#include <algorithm>
#include <cmath>

namespace heron::study::iv {

bench::SourceMeasureSetup setup_of(const Source& s, int channel, double value) {
  return {.channel = channel,
          .pin = s.pin,
          .against = s.against,
          .force = s.force,
          .value = value,
          .compliance = s.compliance,
          .four_wire = s.four_wire,
          .current_range = s.current_range,
          .lowest_current_range = s.lowest_range,
          .voltage_range = {}};
}

std::span<const Rated> rated() {
  using device::Rating;
  constexpr auto voltage = [](double v, double) { return v; };
  constexpr auto current = [](double, double i) { return i; };
  constexpr auto power = [](double v, double i) { return std::abs(v * i); };
  static constexpr Rated all[] = {{"voltage", "V", &Rating::voltage, voltage, "reverse_voltage", false},
                                  {"reverse_voltage", "V", &Rating::reverse_voltage, voltage, nullptr, true},
                                  {"current", "A", &Rating::current, current, "reverse_current", false},
                                  {"reverse_current", "A", &Rating::reverse_current, current, nullptr, true},
                                  {"power", "W", &Rating::power, power, nullptr, false}};
  return all;
}

double Rated::highest(double voltage, double current, const nlohmann::json& ratings) const {
  const double value = of(voltage, current);
  if (reversed) return std::max(0.0, -value);
  return reverse && ratings.contains(reverse) ? std::max(0.0, value) : std::abs(value);
}

nlohmann::json rating_json(const device::Rating& rating) {
  nlohmann::json out = nlohmann::json::object();
  for (const auto& r : rated())
    if (rating.*r.limit) out[r.key] = *(rating.*r.limit);
  return out;
}

double furthest(const Source& s) {
  if (s.role == Role::constant) return s.value;
  const auto values = list_of(s.values);
  return values.empty() ? s.value : *std::max_element(values.begin(), values.end(), [](double a, double b) {
    return std::abs(a) < std::abs(b);
  });
}

}  // namespace heron::study::iv
