#pragma once
#include <vector>

#include "device/rating.h"
#include "study/figure.h"
#include "study/iv/plan.h"

namespace heron::study::iv {

/// What speaks against a plan before anything is driven: ratings, what the channels reach, how long it takes.
std::vector<Doubt> preflight(const Plan& plan, const bench::Limits& limits, const device::Ratings& ratings);

}  // namespace heron::study::iv
