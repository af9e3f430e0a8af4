#pragma once
#include <functional>
#include <stop_token>

#include "study/preflight.h"
#include "study/progress.h"
#include "study/raw.h"
#include "study/response/plan.h"

namespace heron::study::response {

using study::Progress;

/// What a run is told besides its plan.
struct Context {
  std::vector<std::pair<std::string, double>> parts;  ///< values that computed quantities use
  Levels levels;                                      ///< what the circuit should show: for doubts, never for figures
  std::string purpose = {};                           ///< "open", "short", "load"; empty: the device itself
  std::uint64_t seed = 1;                             ///< of noise
  Settings settings = {};                             ///< how figures are read, for the refinement...
  std::vector<std::string> figures = {};              ///< ...of these
  /// Points to read anew, by index and frequency (Hz); empty: the whole plan.
  std::vector<std::pair<int, double>> only = {};
};

/// Asks the bench for one point after another, in the plan's order, and hands each over as soon as it is read. Of
/// noise, a point is a record of some segments.
///
/// Runs in the caller's thread until done, stopped or failed; the drive is off afterwards in every case. Points handed
/// over are complete: nothing is lost by stopping.
/// @param context  what goes into every point besides what the bench reports
/// @param commit   keeps a point; a failure of it ends the run
Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop,
                 const Context& context = {});

}  // namespace heron::study::response
