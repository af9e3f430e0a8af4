#pragma once
#include "study/plan.h"
#include "study/power/plan.h"

namespace heron::study::power {

/// Feeds, and reads as the plan says; everything is off afterwards.
Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context);

}  // namespace heron::study::power
