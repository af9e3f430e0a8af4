#pragma once
#include <optional>
#include <vector>

#include "study/preflight.h"
#include "study/spectrum/plan.h"
#include "study/surroundings.h"

namespace heron::study::spectrum {

/// What the circuit should show while the highest level is driven.
std::optional<bench::Levels> predict(const Plan& plan, const Surroundings& around);

std::vector<Doubt> preflight(const Plan& plan, const Surroundings& around, const bench::Levels* levels);

}  // namespace heron::study::spectrum
