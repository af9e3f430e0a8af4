#pragma once
#include "study/plan.h"
#include "study/waveform/plan.h"

namespace heron::study::waveform {

/// Reads one record after another: the inputs' ranges first where they are automatic, then supplies, the trigger armed,
/// and the signal last. Everything is off afterwards.
Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context);

}  // namespace heron::study::waveform
