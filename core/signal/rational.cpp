#include "signal/rational.h"

#include <array>
#include <cassert>
#include <limits>

namespace heron::signal {

std::complex<double> rational_through(std::span<const double> x, std::span<const std::complex<double>> y, double at) {
  constexpr std::size_t kMost = 8;
  const std::size_t n = x.size();
  assert(n >= 1 && n <= kMost && y.size() == n);
  for (std::size_t i = 0; i < n; ++i)
    if (x[i] == at) return y[i];
  // Differences of neighbouring interpolants of rising degree, added up from the first point on.
  std::array<std::complex<double>, kMost> c, d;
  for (std::size_t i = 0; i < n; ++i) c[i] = d[i] = y[i];
  std::complex<double> value = y[0];
  for (std::size_t m = 1; m < n; ++m) {
    for (std::size_t i = 0; i + m < n; ++i) {
      const auto w = c[i + 1] - d[i];
      const auto t = (x[i] - at) / (x[i + m] - at) * d[i];
      const auto below = t - c[i + 1];
      if (w == 0.0) {
        c[i] = d[i] = 0;
        continue;
      }
      if (below == 0.0) return std::numeric_limits<double>::quiet_NaN();
      // Not by operator/, which looks for infinities at ten times the cost.
      const auto share = w * std::conj(below) / std::norm(below);
      d[i] = c[i + 1] * share;
      c[i] = t * share;
    }
    value += c[0];
  }
  return value;
}

}  // namespace heron::signal
