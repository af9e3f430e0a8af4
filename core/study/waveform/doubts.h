#pragma once
#include <string>
#include <vector>

#include "study/waveform/figures.h"

namespace heron::study::waveform {

/// What speaks against what was read of a pass.
/// @param asked  figures that somebody wants
std::vector<Doubt> find_doubts(const Pass& pass, const Reading& reading, const std::vector<std::string>& asked);

}  // namespace heron::study::waveform
