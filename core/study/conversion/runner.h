#pragma once
#include "study/conversion/plan.h"
#include "study/plan.h"

namespace heron::study::conversion {

/// Takes all points or the record. The load goes down first, then the source, however it ends.
Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context);

}  // namespace heron::study::conversion
