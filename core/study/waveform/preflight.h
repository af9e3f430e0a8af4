#pragma once
#include <optional>
#include <vector>

#include "study/preflight.h"
#include "study/surroundings.h"
#include "study/waveform/plan.h"

namespace heron::study::waveform {

/// What the circuit should show while the generator moves between its ends; nothing where it cannot say.
std::optional<bench::Levels> predict(const Plan& plan, const Surroundings& around);

std::vector<Doubt> preflight(const Plan& plan, const Surroundings& around, const bench::Levels* levels);

}  // namespace heron::study::waveform
