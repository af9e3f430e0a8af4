#pragma once
#include "study/plan.h"
#include "study/switching/plan.h"

namespace heron::study::switching {

/// One shot after another, each kept as soon as it is read. The bus is emptied however it ends, and that is read.
Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context);

}  // namespace heron::study::switching
