#pragma once
#include <cstdint>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "base/result.h"
#include "bench/bench.h"
#include "study/repeat.h"
#include "study/watch.h"

namespace heron::study::conversion {

enum class Method : std::uint8_t {
  points,      ///< every line with every load, each settled
  line_steps,  ///< the source steps between the first and the last line, on a record
  load_steps,  ///< the load steps between the first and the last current, on a record
  record,      ///< what is there at the first line and load, on a record: ripple
};

/// What feeds the input.
enum class Feeder : std::uint8_t {
  supply,         ///< the DC source, which gives current only
  source_measure  ///< a source-measure channel, which takes it as well
};

/// Who sets what the device is told.
enum class TellBy : std::uint8_t { bench, hand };

/// What the inner loop goes along.
enum class Inner : std::uint8_t { load, line };

/// What is asked of the bench: what feeds, what loads, and how each point is read.
struct Plan {
  Method method = Method::points;
  Feeder feeder = Feeder::supply;
  std::string source_pin, load_pin;
  std::vector<double> lines = {5};      ///< V
  std::vector<double> loads = {0.1};    ///< A, ohm or W, by the mode
  bench::LoadMode mode = bench::LoadMode::current;
  double source_limit = 1;              ///< A
  std::string told;                     ///< what the device is told; empty: nothing
  std::string told_unit;                ///< of it
  TellBy told_by = TellBy::bench;
  std::vector<double> told_values = {};
  Inner inner = Inner::load;
  double settle_time = 20e-3;           ///< s at each point
  double agree = 0;                     ///< relative, that two readings shall agree within; 0: one reading
  double warm_up = 0, rest = 0;         ///< s before the first point; between points, unloaded
  std::string thermometer;              ///< place of the device that is waited for at each point; empty: none
  double rests_within = 0.5;            ///< K a minute, more slowly than which it rests
  int readings = 256;                   ///< averaged at each point
  bool sensed = true;                   ///< source and load hold and read at the device's pins
  OnTrip on_trip = OnTrip::notes;
  bench::Hookup hookup;
  double rate = 100e3;                  ///< Hz
  double length = 10e-3;                ///< s of a record
  double period = 2e-3, edge = 20e-6;   ///< s of what steps, and of its edges
  Repeat repeat = Repeat::once;

  bool steps() const { return method == Method::line_steps || method == Method::load_steps; }
  bool of_points() const { return method == Method::points; }
  long long samples() const;  ///< of a record, or of one reading of a point

  /// One setting of all that is swept, in the order they are taken.
  struct Step {
    double line = 0, load = 0;
    std::optional<double> told = {};
  };
  std::vector<Step> all_steps() const;
  double seconds(const bench::Limits& limits) const;
};

inline constexpr long long kMostSamples = 1LL << 24;
inline constexpr std::size_t kMostPoints = 20'000;
inline constexpr std::size_t kRestsOver = 4;                          ///< readings that a temperature rests over
inline constexpr double kTemperatureEvery = 10, kMostWarming = 3600;  ///< s between readings of it; s that it is waited for
inline constexpr int kMostReadings = 10;  ///< at a point until two agree

Result<void> check(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& kept);
nlohmann::json to_json(const Plan& plan);

}  // namespace heron::study::conversion
