#pragma once
#include <vector>

#include "study/preflight.h"
#include "study/response/plan.h"

namespace heron::study::response {

/// What speaks against running the plan on this bench, before anything is driven. `serious` findings forbid the run.
///
/// @param ratings  of the device
/// @param levels   what its circuit should show under this plan; null where it has none
std::vector<Doubt> preflight(const Plan& plan, const bench::Limits& limits, const device::Ratings& ratings,
                             const Levels* levels = nullptr);

}  // namespace heron::study::response
