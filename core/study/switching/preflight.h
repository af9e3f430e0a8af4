#pragma once
#include <vector>

#include "study/preflight.h"
#include "study/surroundings.h"
#include "study/switching/plan.h"

namespace heron::study::switching {

std::vector<Doubt> preflight(const Plan& plan, const Surroundings& around);

}  // namespace heron::study::switching
