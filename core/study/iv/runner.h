#pragma once
#include <functional>
#include <stop_token>

#include "study/iv/plan.h"
#include "study/progress.h"
#include "study/raw.h"

namespace heron::study::iv {

/// Asks the bench for one point after another and hands each over as soon as it is read.
///
/// Runs in the caller's thread until done, stopped or failed; all sources are off afterwards in every case.
/// @param commit  keeps a point; a failure of it ends the run
Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop);

/// Finds the compliance that an unknown device needs: starts a hundredfold below the plan's and doubles it as long as
/// the swept source is held by it at the far end of the sweep. Stops below the plan's own compliance, which is what the
/// user allows.
/// @return the compliance that sufficed; or that of the plan, where none did
struct Raised {
  double compliance = 0;
  bool sufficed = false;
  std::vector<std::pair<double, bool>> tried;  ///< compliance, held
};
Result<Raised> raise_compliance(const Plan& plan, bench::Bench& bench, std::stop_token stop);

}  // namespace heron::study::iv
