#pragma once
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/result.h"
#include "bench/bench.h"
#include "study/repeat.h"

namespace heron::study::spectrum {

/// What the device makes its spectrum of.
enum class Drive {
  nothing,    ///< it makes its own signal
  sine,
  two_tones,  ///< of equal level
};

/// What is changed from point to point.
enum class Along { nothing, level, frequency };

/// What is asked of the bench: steady records, one point after another.
struct Plan {
  Drive drive = Drive::sine;
  std::string drive_pin;
  double frequency = 1e3;         ///< Hz
  double second_frequency = 1.1e3;  ///< Hz, of two tones
  double level = 0.2;             ///< V pk-pk, open circuit, of each tone
  std::optional<double> wanted;   ///< dBFS of the first quantity, that the level is set to by itself, from `level` on
  double offset = 0;              ///< V, open circuit
  double source_resistance = 50;  ///< ohm
  double settle_time = 50e-3;     ///< s from a change of the drive to the record
  std::string feed_pin;           ///< fed by the DC source beforehand; empty: nothing is
  double feed_voltage = 3, feed_limit = 0.1;  ///< V, A
  double feed_time = 1;           ///< s until the device has come to rest

  Along along = Along::nothing;
  double end = 2;                 ///< where the sweep ends: V pk-pk or Hz
  int points = 13;                ///< of a sweep, evenly in ratio

  bench::Hookup hookup;
  int samples = 32768;            ///< of a record
  double rate = 200e3;            ///< Hz
  int records = 1;                ///< averages
  Repeat repeat = Repeat::once;

  double length() const { return double(samples) / rate; }
  double line() const { return rate / double(samples); }
  /// Level and frequency at each point.
  struct Step {
    double level = 0, frequency = 0;
  };
  std::vector<Step> steps() const;
  /// On a real bench, s.
  double seconds() const;
};

inline constexpr int kMostSamples = 1 << 22;

Result<void> check(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& kept);
nlohmann::json to_json(const Plan& plan);

}  // namespace heron::study::spectrum
