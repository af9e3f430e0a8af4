#include "signal/block_sums.h"

#include <algorithm>
#include <cstring>

#include "signal/also_wide.h"

namespace heron::signal {
namespace {

/// Lanes that do not wait for each other, as a compiler makes them of plain loops only now and then.
using Four = double __attribute__((vector_size(4 * sizeof(double))));
constexpr std::size_t kLanes = 8;

HERON_ALSO_WIDE std::size_t add_lanes(const double* values, std::size_t n, BlockSums* lanes) {
  Four low[2], high[2], sum[2] = {}, squares[2] = {}, products[2] = {};
  for (int h = 0; h < 2; ++h)
    for (int k = 0; k < 4; ++k) low[h][k] = INFINITY, high[h][k] = -INFINITY;
  std::size_t at = 0;
  for (; at + kLanes < n; at += kLanes)
    for (int h = 0; h < 2; ++h) {
      Four v, next;
      std::memcpy(&v, values + at + 4 * h, sizeof v);
      std::memcpy(&next, values + at + 4 * h + 1, sizeof next);
      low[h] = v < low[h] ? v : low[h];
      high[h] = v > high[h] ? v : high[h];
      sum[h] += v;
      squares[h] += v * v;
      products[h] += v * next;
    }
  for (int h = 0; h < 2; ++h)
    for (int k = 0; k < 4; ++k) lanes[4 * h + k] = {low[h][k], high[h][k], sum[h][k], squares[h][k], products[h][k]};
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
