#pragma once
#include <vector>

#include "study/power/plan.h"
#include "study/preflight.h"
#include "study/surroundings.h"

namespace heron::study::power {

/// What speaks against a run before anything is fed.
std::vector<Doubt> preflight(const Plan& plan, const Surroundings& around);

}  // namespace heron::study::power
