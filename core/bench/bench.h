#pragma once
#include <cstdint>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "base/result.h"

/// The boundary to hardware: whatever drives and senses. Nothing passes it but set-ups, raw samples and instrument
/// readings.
namespace heron::bench {

/// A steady sine out of a generator.
struct ToneDrive {
  std::string pin;                ///< of the device, as the hookup names it
  double frequency = 1e3;         ///< Hz
  double peak_to_peak = 0;        ///< V, open circuit
  double offset = 0;              ///< V, open circuit
  double source_resistance = 50;  ///< ohm
};

/// What an input is asked to do.
struct InputSetup {
  std::string pin;
  std::optional<double> range;  ///< full range, V peak; automatic when absent
};

/// Counts as they left one converter; volts = offset-free counts * volts_per_count.
struct ChannelRecord {
  std::string pin;
  std::vector<std::int16_t> counts;
  double volts_per_count = 0;
  double range = 0;      ///< V peak
  int lowest_count = 0;  ///< the converter's ends: samples there are clipped
  int highest_count = 0;
  double u_gain = 0;   ///< relative standard uncertainty of the input's gain, from its data
  double u_delay = 0;  ///< s, standard uncertainty of its delay against the other inputs

  std::vector<double> volts() const;
};

/// Samples of all inputs, taken together.
struct Capture {
  double sample_rate = 0;  ///< Hz
  std::vector<ChannelRecord> channels;
};

/// The generator as it can really be set.
struct AppliedDrive {
  double frequency = 0;     ///< Hz, after the generator's resolution
  double peak_to_peak = 0;  ///< V
  double offset = 0;        ///< V
};

/// What a bench can do, for checks before anything is driven.
struct Limits {
  std::string name;                ///< "Simulated bench"
  double lowest_frequency = 0;     ///< Hz
  double highest_frequency = 0;    ///< Hz
  double highest_level_pp = 0;     ///< V, open circuit, offset included
  double lowest_level_pp = 0;      ///< V
  double highest_sample_rate = 0;  ///< Hz
  std::vector<double> ranges;      ///< V peak, rising
  double overhead_per_point = 0;   ///< s that a real bench spends on setting up one point
};

/// One bench in use by one runner. Calls block; those that can be long take a stop token and then fail with
/// Fault::stopped.
class Bench {
 public:
  virtual ~Bench() = default;
  Bench() = default;
  Bench(const Bench&) = delete;
  Bench& operator=(const Bench&) = delete;

  virtual Limits limits() const = 0;

  /// Puts one input to each pin, in this order. Call before the first drive.
  virtual Result<void> connect(const std::vector<InputSetup>& inputs) = 0;

  /// Starts or changes the drive. Refuses (Fault::bench) what the generator cannot do or a pin's rating forbids.
  virtual Result<AppliedDrive> drive(const ToneDrive& drive) = 0;

  virtual Result<void> wait(double seconds, std::stop_token stop) = 0;

  /// Reads `samples` samples from every connected input at the nearest rate the converter has.
  virtual Result<Capture> capture(double sample_rate, int samples, std::stop_token stop) = 0;

  /// The nearest rate the converter has.
  virtual double nearest_rate(double sample_rate) const = 0;

  /// Drive off; safe to call at any time.
  virtual void off() = 0;

  /// Seconds that the work so far took on the bench.
  virtual double elapsed() const = 0;
};

}  // namespace heron::bench
