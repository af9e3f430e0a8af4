#pragma once
#include <cmath>
#include <span>

namespace heron::signal {

/// What a block of samples comes to, so that the whole of a long record is told from few numbers.
struct BlockSums {
  double low = INFINITY, high = -INFINITY;
  double sum = 0, squares = 0;
  double products = 0;  ///< of each sample with the next
};

/// Of one block; its last sample has no next one here.
BlockSums block_sums(std::span<const double> values);

}  // namespace heron::signal
