#pragma once
#include <optional>
#include <vector>

#include "study/figure.h"
#include "study/response/plan.h"

namespace heron::study::response {

/// What speaks against running the plan on this bench, before anything is driven. `serious` findings forbid the run.
///
/// @param rating  highest peak voltage of the driven pin, V, where known
std::vector<Doubt> preflight(const Plan& plan, const bench::Limits& limits, std::optional<double> rating);

/// The first serious finding as an error of the bench; nothing when the plan may run.
std::optional<Error> refusal(const std::vector<Doubt>& findings);

}  // namespace heron::study::response
