#pragma once
#include <optional>

#include "study/waveforms.h"

namespace heron::study::waveform {

/// All passes as one: the mean of each quantity at the same times from the trigger. Noise falls with the root of their
/// number; what is at another time in every pass is smeared. A pass without its trigger is left out.
/// @return null where fewer than two passes can be joined; Fault::input where steps or quantities differ, or where they
/// are too long to be held in memory
Result<WaveformsPtr> averaged(const std::vector<WaveformsPtr>& passes);

/// The mean of all passes with the lowest and the highest of them at each time.
struct Bundle {
  WaveformsPtr mean, low, high;
};
/// @return nothing, and errors, as averaged()
Result<std::optional<Bundle>> bundle_of(const std::vector<WaveformsPtr>& passes);

}  // namespace heron::study::waveform
