#pragma once
#include <vector>

#include "study/conversion/plan.h"
#include "study/preflight.h"
#include "study/surroundings.h"

namespace heron::study::conversion {

/// What is set, where inputs sense it: the highest line, the nominal output, the highest load's current.
bench::Levels predict(const Plan& plan, const Surroundings& around);

/// What speaks against a run before anything is driven.
/// @param levels  as predicted
std::vector<Doubt> preflight(const Plan& plan, const Surroundings& around, const bench::Levels& levels);

}  // namespace heron::study::conversion
