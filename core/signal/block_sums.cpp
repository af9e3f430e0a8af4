#include "signal/block_sums.h"

#include <algorithm>

#include "signal/also_wide.h"

namespace heron::signal {
namespace {

/// Lanes that do not wait for each other.
constexpr std::size_t kLanes = 8;

HERON_ALSO_WIDE std::size_t add_lanes(const double* values, std::size_t n, BlockSums* lanes) {
  double low[kLanes], high[kLanes], sum[kLanes] = {}, squares[kLanes] = {}, products[kLanes] = {};
  for (std::size_t k = 0; k < kLanes; ++k) low[k] = INFINITY, high[k] = -INFINITY;
  std::size_t at = 0;
  for (; at + kLanes < n; at += kLanes)
    for (std::size_t k = 0; k < kLanes; ++k) {
      const double v = values[at + k];
      low[k] = v < low[k] ? v : low[k];
      high[k] = v > high[k] ? v : high[k];
      sum[k] += v;
      squares[k] += v * v;
      products[k] += v * values[at + k + 1];
    }
  for (std::size_t k = 0; k < kLanes; ++k) lanes[k] = {low[k], high[k], sum[k], squares[k], products[k]};
  return at;
}

}  // namespace

BlockSums block_sums(std::span<const double> values) {
  BlockSums lanes[kLanes], out;
  const auto done = add_lanes(values.data(), values.size(), lanes);
  const auto join = [&](const BlockSums& one) {
    out.low = std::min(out.low, one.low);
    out.high = std::max(out.high, one.high);
    out.sum += one.sum;
    out.squares += one.squares;
    out.products += one.products;
  };
  for (const auto& lane : lanes) join(lane);
  for (auto k = done; k < values.size(); ++k)
    join({values[k], values[k], values[k], values[k] * values[k], k + 1 < values.size() ? values[k] * values[k + 1] : 0});
  return out;
}

}  // namespace heron::signal
