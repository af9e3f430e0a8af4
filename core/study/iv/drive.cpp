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

nlohmann::json rating_json(const device::Rating& rating) {
  nlohmann::json out = nlohmann::json::object();
  if (rating.voltage) out["voltage"] = *rating.voltage;
  if (rating.current) out["current"] = *rating.current;
  if (rating.power) out["power"] = *rating.power;
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
