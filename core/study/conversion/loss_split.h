#pragma once
#include <optional>

#include "study/conversion/rows.h"

namespace heron::study::conversion {

inline constexpr std::size_t kSplitLoads = 5;

/// Loss over load as a sum: fixed, proportional, and by the square (W, V, ohm).
struct LossSplit {
  Value fixed, linear, square;
  double residual = 0;  ///< W rms
  double at(double current) const { return fixed.value + current * (linear.value + current * square.value); }
};
/// Of a curve with at least five loads.
std::optional<LossSplit> loss_split(const LoadCurve& curve);

}  // namespace heron::study::conversion
