#include "bench/sensor.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/quantity.h"

namespace heron::bench {
namespace {

using nlohmann::json;

struct KindText {
  SensorKind kind;
  std::string_view key, words;
};
constexpr KindText kKinds[] = {{SensorKind::direct, "direct", "direct lead"},
                               {SensorKind::probe, "probe", "passive probe"},
                               {SensorKind::differential, "differential", "differential probe"},
                               {SensorKind::shunt, "shunt", "shunt"},
                               {SensorKind::clamp, "clamp", "clamp"},
                               {SensorKind::coil, "coil", "coil"},
                               {SensorKind::transformer, "transformer", "current transformer"},
                               {SensorKind::isolated, "isolated", "isolated probe"},
                               {SensorKind::monitor, "monitor", "current monitor"},
                               {SensorKind::codes, "codes", "code reader"}};

struct Field {
  const char* key;
  double Sensor::*member;
  bool positive;
};
constexpr Field kFields[] = {{"factor", &Sensor::factor, true},
                             {"bandwidth", &Sensor::bandwidth, false},
                             {"low_corner", &Sensor::low_corner, false},
                             {"resistance", &Sensor::resistance, false},
                             {"capacitance", &Sensor::capacitance, false},
                             {"inductance", &Sensor::inductance, false},
                             {"temperature_coefficient", &Sensor::temperature_coefficient, false},
                             {"rating", &Sensor::rating, false},
                             {"common_mode_rating", &Sensor::common_mode_rating, false},
                             {"offset", &Sensor::offset, false},
                             {"u_factor", &Sensor::u_factor, false},
                             {"u_bandwidth", &Sensor::u_bandwidth, false},
                             {"delay", &Sensor::delay, false},
                             {"rejection_db", &Sensor::rejection_db, false},
                             {"rejection_corner", &Sensor::rejection_corner, false},
                             {"noise", &Sensor::noise, false},
                             {"saturation", &Sensor::saturation, false},
                             {"wants_ohms", &Sensor::wants_ohms, true}};

}  // namespace

std::string_view sensor_kind_text(SensorKind kind) {
  for (const auto& k : kKinds)
    if (k.kind == kind) return k.words;
  return "";
}

bool Sensor::senses_current() const {
  return kind == SensorKind::shunt || kind == SensorKind::clamp || kind == SensorKind::coil ||
         kind == SensorKind::transformer || kind == SensorKind::monitor;
}

std::string factor_text(const Sensor& s) {
  if (s.reads_codes()) return "codes";
  if (s.senses_current()) return format_setting(s.factor, "V/A") + (s.wants_ohms < 1e3 ? " into 50 ohm" : "");
  if (s.factor > 1) return fmt::format("gain {:.4g}", s.factor);
  return fmt::format("x{:.4g}", 1 / s.factor);
}

const std::vector<Sensor>& stock_sensors() {
  static const std::vector<Sensor> all = {{.name = "Direct lead", .rating = 50},
                                          {.name = "Probe x1",
                                           .kind = SensorKind::probe,
                                           .bandwidth = 8e6,
                                           .resistance = 1e6,
                                           .capacitance = 95e-12,
                                           .rating = 50,
                                           .u_factor = 2e-3},
                                          {.name = "Probe x10",
                                           .kind = SensorKind::probe,
                                           .factor = 0.1,
                                           .bandwidth = 180e6,
                                           .resistance = 10e6,
                                           .capacitance = 12e-12,
                                           .rating = 300,
                                           .u_factor = 3e-3,
                                           .delay = 5.6e-9},
                                          {.name = "Probe x100",
                                           .kind = SensorKind::probe,
                                           .factor = 0.01,
                                           .bandwidth = 150e6,
                                           .resistance = 100e6,
                                           .capacitance = 5e-12,
                                           .rating = 1500,
                                           .u_factor = 6e-3,
                                           .delay = 6.1e-9},
                                          {.name = "Differential probe x20",
                                           .kind = SensorKind::differential,
                                           .factor = 0.05,
                                           .bandwidth = 60e6,
                                           .resistance = 4e6,
                                           .capacitance = 6e-12,
                                           .rating = 140,
                                           .common_mode_rating = 700,
                                           .offset = 2e-3,
                                           .u_factor = 5e-3,
                                           .delay = 8e-9,
                                           .rejection_db = 80,
                                           .rejection_corner = 20e3,
                                           .noise = 250e-6},
                                          {.name = "Differential probe x1",
                                           .kind = SensorKind::differential,
                                           .factor = 1,
                                           .bandwidth = 30e6,
                                           .resistance = 2e6,
                                           .capacitance = 7e-12,
                                           .rating = 3,
                                           .common_mode_rating = 40,
                                           .offset = 0.3e-3,
                                           .u_factor = 4e-3,
                                           .delay = 9e-9,
                                           .rejection_db = 86,
                                           .rejection_corner = 10e3,
                                           .noise = 120e-6},
                                          {.name = "Shunt 10 mohm",
                                           .kind = SensorKind::shunt,
                                           .factor = 10e-3,
                                           .resistance = 10e-3,
                                           .inductance = 0.8e-9,
                                           .temperature_coefficient = 40,
                                           .rating = 25,
                                           .u_factor = 1e-3},
                                          {.name = "Shunt 1 ohm",
                                           .kind = SensorKind::shunt,
                                           .factor = 1,
                                           .resistance = 1,
                                           .inductance = 4e-9,
                                           .temperature_coefficient = 25,
                                           .rating = 1,
                                           .u_factor = 5e-4},
                                          {.name = "Coaxial shunt 10 mohm",
                                           .kind = SensorKind::shunt,
                                           .factor = 10e-3,
                                           .bandwidth = 250e6,
                                           .resistance = 10e-3,
                                           .inductance = 0.5e-12,
                                           .temperature_coefficient = 30,
                                           .rating = 120,
                                           .u_factor = 2e-3,
                                           .delay = 3.2e-9},
                                          {.name = "Clamp 40 A",
                                           .kind = SensorKind::clamp,
                                           .factor = 0.1,
                                           .bandwidth = 12e6,
                                           .inductance = 5e-9,
                                           .rating = 40,
                                           .offset = 4e-3,
                                           .u_factor = 7e-3,
                                           .delay = 18e-9,
                                           .noise = 400e-6},
                                          {.name = "Clamp 500 A, slow",
                                           .kind = SensorKind::clamp,
                                           .factor = 2e-3,
                                           .bandwidth = 90e3,
                                           .inductance = 8e-9,
                                           .rating = 500,
                                           .offset = 2e-3,
                                           .u_factor = 1e-2,
                                           .delay = 1.1e-6,
                                           .noise = 100e-6},
                                          {.name = "Coil 1 kA",
                                           .kind = SensorKind::coil,
                                           .factor = 5e-3,
                                           .bandwidth = 16e6,
                                           .low_corner = 9,
                                           .inductance = 3e-9,
                                           .rating = 1000,
                                           .u_factor = 2e-2,
                                           .delay = 14e-9,
                                           .noise = 800e-6},
                                          {.name = "Current transformer 20 A",
                                           .kind = SensorKind::transformer,
                                           .factor = 50e-3,
                                           .bandwidth = 70e6,
                                           .low_corner = 450,
                                           .inductance = 4e-9,
                                           .rating = 20,
                                           .u_factor = 1e-2,
                                           .delay = 4e-9,
                                           .saturation = 8e-3,
                                           .wants_ohms = 50},
                                          {.name = "Isolated probe x50",
                                           .kind = SensorKind::isolated,
                                           .factor = 0.02,
                                           .bandwidth = 110e6,
                                           .resistance = 10e6,
                                           .capacitance = 3e-12,
                                           .rating = 500,
                                           .common_mode_rating = 10e3,
                                           .offset = 1e-3,
                                           .u_factor = 1e-2,
                                           .delay = 21e-9,
                                           .rejection_db = 130,
                                           .rejection_corner = 1e6,
                                           .noise = 500e-6},
                                          {.name = "Current monitor 1 V/mA",
                                           .kind = SensorKind::monitor,
                                           .factor = 1000,
                                           .bandwidth = 400e3,
                                           .rating = 20e-3,
                                           .offset = 0.2e-3,
                                           .u_factor = 5e-4,
                                           .delay = 0.3e-6,
                                           .noise = 60e-6},
                                          {.name = "Current monitor 1 V/A",
                                           .kind = SensorKind::monitor,
                                           .factor = 1,
                                           .bandwidth = 400e3,
                                           .rating = 3,
                                           .offset = 0.2e-3,
                                           .u_factor = 5e-4,
                                           .delay = 0.3e-6,
                                           .noise = 60e-6},
                                          {.name = "Code reader", .kind = SensorKind::codes}};
  return all;
}

const Sensor* find_stock_sensor(std::string_view name) {
  const auto& all = stock_sensors();
  const auto it = std::find_if(all.begin(), all.end(), [&](const Sensor& s) { return s.name == name; });
  return it == all.end() ? nullptr : &*it;
}

json to_json(const Sensor& sensor) {
  json out = {{"name", sensor.name}};
  for (const auto& k : kKinds)
    if (k.kind == sensor.kind) out["kind"] = k.key;
  const Sensor plain;
  for (const auto& f : kFields)
    if (sensor.*f.member != plain.*f.member || std::string_view(f.key) == "factor") out[f.key] = sensor.*f.member;
  return out;
}

Result<Sensor> sensor_from_json(const json& j) {
  if (!j.is_object()) return fail(Fault::input, "A sensor is an object with name, kind and factor.");
  Sensor s;
  s.name = j.contains("name") && j["name"].is_string() ? j["name"].get<std::string>() : "";
  if (s.name.empty() || s.name.size() > 80) return fail(Fault::input, "A sensor needs a name of 1 to 80 characters.");
  const std::string kind = j.contains("kind") && j["kind"].is_string() ? j["kind"].get<std::string>() : "";
  const auto k = std::find_if(std::begin(kKinds), std::end(kKinds), [&](const auto& e) { return e.key == kind; });
  if (k == std::end(kKinds)) return fail(Fault::input, "{}: kind: \"{}\" is not a kind of sensor.", s.name, kind);
  s.kind = k->kind;
  std::set<std::string> known = {"name", "kind"};
  for (const auto& f : kFields) {
    known.insert(f.key);
    if (!j.contains(f.key)) continue;
    if (!j[f.key].is_number()) return fail(Fault::input, "{}: {}: a number is wanted.", s.name, f.key);
    const double v = j[f.key].get<double>();
    if (!std::isfinite(v) || v < 0 || (f.positive && v == 0))
      return fail(Fault::input, "{}: {}: {} makes no sense; it must be {}.", s.name, f.key, v,
                  f.positive ? "above zero" : "zero or above");
    s.*f.member = v;
  }
  for (const auto& [key, value] : j.items())
    if (!known.contains(key)) return fail(Fault::input, "{}: {}: a sensor has no such key.", s.name, key);
  if (s.kind == SensorKind::shunt && !(s.resistance > 0))
    return fail(Fault::input, "{}: resistance: a shunt needs its resistance.", s.name);
  if ((s.kind == SensorKind::coil || s.kind == SensorKind::transformer) && !(s.low_corner > 0))
    return fail(Fault::input, "{}: low_corner: this kind of sensor passes no DC and needs its lower corner.", s.name);
  if (s.low_corner > 0 && s.bandwidth > 0 && s.low_corner >= s.bandwidth)
    return fail(Fault::input, "{}: low_corner: lies above the bandwidth.", s.name);
  return s;
}

std::string sensor_list_text(const std::vector<Sensor>& sensors) {
  json list = json::array();
  for (const auto& s : sensors) list.push_back(to_json(s));
  return json{{"sensors", list}}.dump(2) + "\n";
}

Result<std::vector<Sensor>> read_sensor_list(std::string_view text, const std::string& file) {
  const auto j = json::parse(text, nullptr, false);
  if (j.is_discarded()) return fail(Fault::input, "{}: this is not JSON.", file);
  if (!j.is_object() || !j.contains("sensors") || !j["sensors"].is_array())
    return fail(Fault::input, "{}: sensors: a list of sensors is wanted.", file);
  std::vector<Sensor> out;
  for (const auto& entry : j["sensors"]) {
    auto sensor = sensor_from_json(entry);
    if (!sensor) return fail(Fault::input, "{}: sensor {}: {}", file, out.size() + 1, sensor.error().message);
    for (const auto& other : out)
      if (other.name == sensor->name) return fail(Fault::input, "{}: the name \"{}\" comes twice.", file, other.name);
    out.push_back(std::move(*sensor));
  }
  return out;
}

}  // namespace heron::bench
