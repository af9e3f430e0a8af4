#pragma once
#include <cstddef>
#include <optional>
#include <span>

#include "signal/local.h"

namespace heron::signal {

/// Where two straight flanks meet between samples: the tip of a triangle, which no parabola has. Lines through three
/// samples of each flank.
/// @param at  index of the highest (lowest) sample
/// @param noise  standard deviation of each sample
/// @return its height, whose standard uncertainty is that of kCornerNoise times the noise; nothing where the flanks bend,
/// or noise could make as much
std::optional<double> corner_at(std::span<const double> values, std::size_t at, double noise, Towards which);
inline constexpr double kCornerNoise = 2.5;

}  // namespace heron::signal
