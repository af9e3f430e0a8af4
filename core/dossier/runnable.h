#pragma once
#include <functional>

#include "bench/bench.h"
#include "dossier/take_run.h"
#include "study/progress.h"

namespace heron::dossier {

/// What running a study comes down to, whatever its kind.
struct Runnable {
  nlohmann::json plan;                 ///< as it is kept with the take
  int planned = 0;                     ///< points
  std::vector<study::Doubt> findings;  ///< of preflight
  using Keep = std::function<Result<void>(const study::Point&)>;
  std::function<Result<void>(const Keep&, const std::function<void(const study::Progress&)>&, std::stop_token)> run;
};

/// @param bench  in use until `run` has come back
/// @param only   points to read anew; empty: all
Result<Runnable> prepare(Store& store, const Study& study, bench::Bench& bench, std::uint64_t seed,
                         const RunOptions& options, std::vector<std::pair<int, double>> only);

}  // namespace heron::dossier
