#pragma once
#include <stop_token>

#include "device/rating.h"
#include "study/iv/plan.h"

namespace heron::study::iv {

/// What an unknown device was found to need.
struct Raised {
  enum class End {
    sufficed,  ///< the source reached the far end of the sweep
    allowed,   ///< the plan's own compliance holds it
    rating,    ///< more would come near a rating of the pin
  } end = End::sufficed;
  double compliance = 0;                       ///< A or V: the last one tried
  std::vector<std::pair<double, bool>> tried;  ///< compliance, held
};

/// How far below the plan's own compliance it begins.
inline constexpr double kStartBelow = 128;

/// Finds the compliance that an unknown device needs: starts 128 times below the plan's and doubles it as long as the
/// swept source is held by it at the far end of the sweep, the others at their furthest. Goes no further than the plan
/// allows, and no nearer to a rating of the pin than four fifths. All sources are off afterwards.
Result<Raised> start_small(const Plan& plan, bench::Bench& bench, const device::Ratings& ratings, std::stop_token stop);

/// What was found, in a sentence.
std::string raised_text(const Raised& raised, const Source& swept);

}  // namespace heron::study::iv
