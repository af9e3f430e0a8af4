#pragma once
#include <optional>

#include "study/power/plan.h"
#include "study/procedure.h"

namespace heron::study::power {

/// A look at every channel before anything is taken: is each what it is said to be? Nothing where there is not both a
/// voltage and a current, or nothing alternates.
std::optional<Offer> look_at_wiring(const power::Plan& plan);

}  // namespace heron::study::power
