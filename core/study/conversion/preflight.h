#pragma once
#include <vector>

#include "study/conversion/plan.h"
#include "study/preflight.h"
#include "study/surroundings.h"

namespace heron::study::conversion {

/// What speaks against a run before anything is driven.
std::vector<Doubt> preflight(const Plan& plan, const Surroundings& around);

}  // namespace heron::study::conversion
