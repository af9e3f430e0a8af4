#include "signal/windowed_power.h"

#include <algorithm>
#include <cassert>

#include "signal/also_wide.h"

namespace heron::signal {
namespace {

constexpr std::size_t kAtOnce = 256;  ///< lines, that stay near the processor

/// |sum_j a_j/2 (x[k-j] + x[k+j])|^2 of some lines, at most kAtOnce, that all have their neighbours; complex numbers as pairs.
template <int kReach>
[[gnu::always_inline]] inline void windowed(const double* __restrict x, const double* a, std::size_t count, double* __restrict out) {
  double y[2 * kAtOnce];
  for (std::size_t i = 0; i < 2 * count; ++i) {
    double v = a[0] * x[i];
    for (int j = 1; j < kReach; ++j) v += a[j] / 2 * (x[std::ptrdiff_t(i) - 2 * j] + x[i + 2 * std::size_t(j)]);
    y[i] = v;
  }
  for (std::size_t k = 0; k < count; ++k) out[k] = y[2 * k] * y[2 * k] + y[2 * k + 1] * y[2 * k + 1];
}

template <int kReach>
[[gnu::always_inline]] inline void add_all(const double* __restrict x, const double* a, std::size_t count, double scale, double* __restrict into) {
  double some[kAtOnce];
  for (std::size_t k = 0; k < count; k += kAtOnce) {
    const auto now = std::min(kAtOnce, count - k);
    windowed<kReach>(x + 2 * k, a, now, some);
    for (std::size_t i = 0; i < now; ++i) into[k + i] += scale * some[i];
  }
}

HERON_ALSO_WIDE void add_windowed(const double* __restrict x, const double* a, std::size_t reach, std::size_t count, double scale, double* __restrict into) {
  switch (reach) {
    case 1: return add_all<1>(x, a, count, scale, into);
    case 2: return add_all<2>(x, a, count, scale, into);
    case 4: return add_all<4>(x, a, count, scale, into);
    default: return add_all<5>(x, a, count, scale, into);
  }
}

HERON_ALSO_WIDE double largest_of(const double* __restrict x, std::size_t count) {
  constexpr std::size_t kLanes = 8;
  constexpr double kPlain[] = {1};
  double lanes[kLanes] = {};
  for (std::size_t k = 0; k < count; k += kAtOnce) {
    double some[kAtOnce] = {};
    windowed<1>(x + 2 * k, kPlain, std::min(kAtOnce, count - k), some);
    for (std::size_t i = 0; i < kAtOnce; i += kLanes)
      for (std::size_t lane = 0; lane < kLanes; ++lane) lanes[lane] = some[i + lane] > lanes[lane] ? some[i + lane] : lanes[lane];
  }
  return *std::max_element(lanes, lanes + kLanes);
}

const double* pairs(const std::complex<double>* lines) { return reinterpret_cast<const double*>(lines); }

}  // namespace

void add_windowed_power(const std::complex<double>* lines, const std::vector<double>& cosines, std::size_t count, double scale, double* into) {
  assert(cosines.size() <= 5 && cosines.size() != 3);
  add_windowed(pairs(lines), cosines.data(), cosines.size(), count, scale, into);
}

double largest_power(const std::complex<double>* lines, std::size_t count) { return largest_of(pairs(lines), count); }

}  // namespace heron::signal
