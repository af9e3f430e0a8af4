#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

namespace heron::run {

inline constexpr int kMostUnits = 1000;

/// What somebody typed for new units: one name, or a range, "unit 01 to unit 40", whose numbers keep their leading zeros.
/// @param there  names that are taken; Fault::input names one that comes again
Result<std::vector<std::string>> unit_names(std::string_view typed, const std::vector<std::string>& there);

}  // namespace heron::run
