#pragma once
#include <array>
#include <cstddef>
#include <cstdint>

namespace heron {

/// Madder, lagoon, moss, plum, copper, graphite, as 0xRRGGBB; of the seventh take on the same, dashed.
inline constexpr std::array<std::uint32_t, 6> kTakeColours = {0x9E3B57, 0x1B8783, 0x65792B, 0x6B4C8F, 0xA85A24, 0x4C5357};

/// @param number  of the take, from 1
constexpr std::uint32_t take_colour_of(int number) { return kTakeColours[std::size_t(number > 0 ? number - 1 : 0) % kTakeColours.size()]; }
constexpr bool take_dashed_of(int number) { return std::size_t(number > 0 ? number - 1 : 0) / kTakeColours.size() % 2 == 1; }

}  // namespace heron
