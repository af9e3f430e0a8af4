#include "signal/band_limited.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace heron::signal {

std::vector<double> band_limited(std::span<const double> samples, std::span<const double> places) {
  using std::numbers::pi;
  std::vector<double> out;
  out.reserve(places.size());
  if (samples.empty()) return std::vector<double>(places.size(), 0.0);
  constexpr auto kReach = std::ptrdiff_t(kBandLimitedReach);
  const auto last = std::ptrdiff_t(samples.size()) - 1;
  for (const double place : places) {
    const auto near = std::ptrdiff_t(std::floor(place));
    double sum = 0, weights = 0;
    for (auto k = near - kReach + 1; k <= near + kReach; ++k) {
      const double x = place - double(k);
      const double sinc = std::abs(x) < 1e-12 ? 1 : std::sin(pi * x) / (pi * x);
      const double weight = sinc * 0.5 * (1 + std::cos(pi * x / double(kReach)));
      sum += weight * samples[std::size_t(std::clamp(k, std::ptrdiff_t(0), last))];
      weights += weight;
    }
    // A constant stays what it is.
    out.push_back(sum / weights);
  }
  return out;
}

}  // namespace heron::signal
