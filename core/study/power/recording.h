#pragma once
#include <string>
#include <vector>

#include "study/plan.h"
#include "study/power/plan.h"

namespace heron::study::power {

/// Hours of samples go by; readings of so many cycles are kept, and the raw record of each in which a watch tripped.
/// @param about  what every point says of the hookup
Result<void> record(const Plan& plan, bench::Bench& bench, const RunContext& context, nlohmann::json about, const std::vector<std::string>& names);

}  // namespace heron::study::power
