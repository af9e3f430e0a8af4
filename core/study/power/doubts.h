#pragma once
#include <string>
#include <vector>

#include "study/power/figures.h"

namespace heron::study::power {

/// Why the figures of a record should not be believed.
/// @param asked  that claims want
Result<std::vector<Doubt>> find_doubts(const PowerRecord& record, const Reading& reading, const Settings& settings, const std::vector<std::string>& asked);

}  // namespace heron::study::power
