#pragma once
#include <vector>

#include "study/conversion/assembly.h"
#include "study/figure.h"

namespace heron::study::conversion {

/// What speaks against figures of points and records.
Result<std::vector<Doubt>> find_doubts(const Rows& rows, const std::vector<Evidence>& evidence, const std::vector<SteppedRecordPtr>& records, const Reading& reading, const Settings& settings,
                                       const std::vector<std::string>& asked);

}  // namespace heron::study::conversion
