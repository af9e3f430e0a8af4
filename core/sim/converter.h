#pragma once
#include <cstdint>
#include <optional>
#include <random>
#include <vector>

#include "bench/bench.h"
#include "sim/circuit.h"

/// Converters of the device: how a voltage becomes a code, and how that errs.
namespace heron::sim {

inline constexpr int kMostBits = 16;

/// What a converter is and how it errs, from its part.
struct ConverterData {
  int bits = 12;
  double full_scale = 1;  ///< V peak
  double noise = 0;       ///< V rms
  double jitter = 0;      ///< s rms
  double spur = 0;        ///< V rms, that a quarter of its clock leaves in its codes
  double bow = 0, lean = 0, uneven = 0;  ///< steps
  int wide_code = 0;
  double wide_by = 0;      ///< steps
  std::uint64_t identity = 0;  ///< its transitions stray by it, from take to take the same

  double step() const;  ///< V
};

/// The converter whose codes stand at a pin; nothing where there is none.
std::optional<ConverterData> converter_at(const Circuit& circuit, const std::string& pin);

/// The voltages at which a converter goes from one code to the next, rising.
///
/// Ideally those lie half a step beside whole ones. On that lie an arch lean (1 - x^2) and an S, bow (x^3 - x) 3 sqrt(3)/2,
/// x from -1 to 1 over the range, both zero at its ends; what each strays by itself; and one code that takes from both its
/// neighbours.
class Transitions {
 public:
  explicit Transitions(const ConverterData& data);

  int code(double volts) const;
  /// Where code - 1 ends and the code begins, V.
  double below(int code) const { return at_[std::size_t(code + half_ - 1)]; }

 private:
  int half_;
  double step_;
  std::vector<double> at_;  ///< at_[k] lies below code k - half + 1
};

/// @param volts  at its input, at the instants it really sampled
bench::ChannelRecord read_codes(const std::string& pin, const ConverterData& data, const Transitions& transitions, const std::vector<double>& volts,
                                const std::vector<double>& noise, std::mt19937_64& random);

}  // namespace heron::sim
