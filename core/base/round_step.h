#pragma once
#include <cmath>

namespace heron {

/// The least of 1, 2 or 5 times a power of ten that is not below: what ticks step by.
/// @param least  above zero
inline double round_step(double least) {
  const double decade = std::pow(10, std::floor(std::log10(least)));
  for (const double one : {1.0, 2.0, 5.0})
    if (one * decade >= least) return one * decade;
  return 10 * decade;
}

}  // namespace heron
