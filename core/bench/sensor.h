#pragma once
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

/// What stands between a device and an input: leads, probes, shunts, clamps, coils, transformers.
namespace heron::bench {

enum class SensorKind {
  direct,
  probe,
  differential,
  shunt,
  clamp,
  coil,
  transformer,
  isolated,
  monitor,  ///< the source-measure channel's own reading of its current, as a voltage
  codes,    ///< the digital pins of a converter of the device
};
std::string_view sensor_kind_text(SensorKind kind);  ///< "direct lead", "passive probe", "differential probe"...

/// A sensor as its data sheet gives it. It loads, filters, delays and errs as it says, in the simulation and in the
/// uncertainty of what is read through it.
struct Sensor {
  std::string name = "Direct lead";
  SensorKind kind = SensorKind::direct;
  double factor = 1;                   ///< volts at the input per volt or ampere at the device
  double bandwidth = 0;                ///< Hz, -3 dB, one pole; 0: far above the input's
  double low_corner = 0;               ///< Hz; 0: passes DC
  double resistance = 0;               ///< ohm: loading at each pin; of a shunt its value
  double capacitance = 0;              ///< F: loading at each pin
  double inductance = 0;               ///< H: of a shunt or of what a clamp puts into the branch
  double temperature_coefficient = 0;  ///< ppm/K of a shunt
  double rating = 0;                   ///< V or A peak at the device; 0: not stated
  double common_mode_rating = 0;       ///< V peak of either pin against ground; 0: the rating
  double offset = 0;                   ///< V at the input, standard uncertainty of its zero before it is set
  double u_factor = 0;                 ///< relative standard uncertainty
  double u_bandwidth = 0.1;            ///< relative standard uncertainty of the corners
  double delay = 0;                    ///< s
  double rejection_db = 0;             ///< common mode, at low frequency; 0: none is seen
  double rejection_corner = 0;         ///< Hz from which it falls by 20 dB a decade
  double noise = 0;                    ///< V rms at the input
  double saturation = 0;               ///< A s of a transformer's core: half the inductance is left there; 0: never
  double wants_ohms = 1e6;             ///< input resistance that the factor is stated for

  bool senses_current() const;
  /// Integers of the device's own converter: no range, noise or bandwidth of an input stands between.
  bool reads_codes() const { return kind == SensorKind::codes; }
  std::string_view unit() const { return senses_current() ? "A" : "V"; }
  bool operator==(const Sensor&) const = default;
};

/// "x10", "120 mV/A", "2.5 mV/A into 50 ohm": the factor as people say it.
std::string factor_text(const Sensor& sensor);

/// The sensors that ship: one of each kind or more, our own invention.
const std::vector<Sensor>& stock_sensors();
const Sensor* find_stock_sensor(std::string_view name);

nlohmann::json to_json(const Sensor& sensor);
/// Refuses what makes no sense, naming the key.
Result<Sensor> sensor_from_json(const nlohmann::json& json);

/// A list of sensors as a file: {"sensors": [...]}, with SI numbers.
std::string sensor_list_text(const std::vector<Sensor>& sensors);
/// @param file  for errors
Result<std::vector<Sensor>> read_sensor_list(std::string_view text, const std::string& file);

}  // namespace heron::bench
