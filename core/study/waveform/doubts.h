#pragma once
#include <optional>
#include <string>
#include <vector>

#include "study/waveform/figures.h"

namespace heron::study::waveform {

/// The 10-90 time of an edge that a one-pole chain makes of a step: ln 9 / (2 pi bandwidth).
inline constexpr double kEdgeOfBandwidth = 0.35;
/// Samples that an edge should have.
inline constexpr double kCoarse = 4;

/// Where the mean of passes hides what each of them has: their extremes lie beyond its own by more than noise.
Result<std::optional<Doubt>> averaging_doubt(const Waveforms& mean, const std::vector<WaveformsPtr>& passes);

/// What speaks against what was read of a pass.
/// @param asked  figures that somebody wants
std::vector<Doubt> find_doubts(const Pass& pass, const Reading& reading, const std::vector<std::string>& asked);

}  // namespace heron::study::waveform
