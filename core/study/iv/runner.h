#pragma once
#include <functional>
#include <map>
#include <stop_token>

#include "device/rating.h"
#include "study/iv/plan.h"
#include "study/progress.h"
#include "study/raw.h"

namespace heron::study::iv {

/// What the points of a take keep of the device, beside what was read.
struct Context {
  device::Ratings ratings = {};                            ///< by pin
  std::vector<std::pair<std::string, double>> parts = {};  ///< values that formulas of the hookup may name...
  std::map<std::string, double> parts_u = {};              ///< ...and their relative standard uncertainties
};

/// Asks the bench for one point after another, or one stretch of a ramp after another, and hands each over as soon as
/// it is read.
///
/// Runs in the caller's thread until done, stopped or failed; all sources are off afterwards in every case.
/// @param commit  keeps a point; a failure of it ends the run
Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop,
                 const Context& context = {});

/// How many points a run hands over: readings, or stretches of records.
int planned_points(const Plan& plan, const bench::Limits& limits);

}  // namespace heron::study::iv
