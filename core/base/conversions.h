/// Factors between the radians and nepers of mathematics and the degrees and decibels that are shown.
#pragma once

#include <numbers>

namespace heron {

inline constexpr double kDegrees = 180 / std::numbers::pi;  ///< degrees of a radian
inline constexpr double kDbPerNeper =
    20 / std::numbers::ln10;  ///< decibels of a relative change of one, for small changes

}  // namespace heron
