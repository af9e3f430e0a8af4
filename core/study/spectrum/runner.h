#pragma once
#include "study/plan.h"
#include "study/spectrum/plan.h"

namespace heron::study::spectrum {

/// Every point of a plan: driven, settled, and read as often as is averaged. What is read before a stop is kept.
Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context);

}  // namespace heron::study::spectrum
