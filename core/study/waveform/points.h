#pragma once
#include <string_view>
#include <utility>
#include <vector>

#include "base/result.h"

namespace heron::study::waveform {

/// Points of a drive out of text: one a line or between semicolons, or between commas where there is one line; each a time
/// and a voltage, "1 ms 0.5 V" or "1m,0.5". Lines that begin with # and a heading are left out.
/// @return (s, V); Fault::input with the point that cannot be read
Result<std::vector<std::pair<double, double>>> read_points(std::string_view text);

inline constexpr std::size_t kMostPoints = 100'000;

}  // namespace heron::study::waveform
