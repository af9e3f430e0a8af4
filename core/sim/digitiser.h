#pragma once
#include <functional>
#include <random>
#include <vector>

#include "bench/bench.h"
#include "sim/instruments.h"

namespace heron::sim {

/// Standard normal value that belongs to an instrument: the same for the same seeds, however often anything else was
/// drawn.
double fixed_error(std::uint64_t seed, std::uint64_t a, std::uint64_t b);

/// What is added to the voltage at one converter besides the converter's own errors.
struct Disturbance {
  double offset = 0;           ///< V, of the sensor
  double noise = 0;            ///< V rms, white, of the sensor
  std::vector<double> series;  ///< V, coloured noise of the circuit; empty or as long as the record
};

/// The converter of input `k`: gain, offset, noise, rounding and clipping, as its data say.
class Digitiser {
 public:
  Digitiser(const InputData& data, std::uint64_t seed) : data_(data), seed_(seed) {}

  bench::ChannelRecord convert(const std::string& pin, std::size_t k, double range, bool filtered,
                               const std::vector<double>& volts, const Disturbance& disturbance,
                               std::mt19937_64& random) const;

  /// One look of automatic ranging: judges by what the converter shows, as hardware would.
  struct Look {
    double range;
    bool again;  ///< the signal was clipped or seen with a few counts, so it is not yet known well enough
  };
  Look next_range(const bench::ChannelRecord& seen) const;

 private:
  InputData data_;
  std::uint64_t seed_;
};

}  // namespace heron::sim
