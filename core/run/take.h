#pragma once
#include <functional>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "dossier/store.h"
#include "run/device.h"
#include "study/figure.h"
#include "study/progress.h"

/// Running a study of a dossier on a bench: what the application and the command line share.
namespace heron::run {

struct TakeEvents {
  /// By preflight, before anything is driven; what it returns as an error ends the run there.
  std::function<Result<void>(const std::vector<study::Doubt>&)> found;
  std::function<void(long long take)> began;
  std::function<void(long long take, const study::Point&)> point;
  std::function<void(const study::Point&)> so_far = {};  ///< of a point that is still being read
  std::function<void(const study::Progress&)> progress;
  std::function<void(const std::string&)> said = {};  ///< what a person must know now that it is over
  std::function<Result<void>(const std::string& what)> ask = {};  ///< of a person: see study::RunContext
};

/// What else a run is told.
struct RunOptions {
  std::string note = {};
  std::set<std::string> accepted = {};  ///< serious findings taken upon oneself, found or not
  std::string purpose = {};             ///< "open", "short", "load": see dossier::Take; empty: of the device
  /// Points of an earlier take to read anew; all its others are carried over as they are.
  std::optional<long long> base = {};
  std::vector<int> only = {};
};

/// Runs preflight, then the study unless a serious finding that is not accepted forbids it, point by point into the
/// dossier. The seed is stored with the take.
/// @return the take's id; on Fault::stopped and Fault::bench what was read is kept in the take, which `began` has named
Result<long long> run_take(dossier::Store& store, const dossier::Study& study, const std::string& bench_name,
                           std::uint64_t seed, const RunOptions& options, const TakeEvents& events,
                           std::stop_token stop);

/// Whether data of a file can be read as a take; nonsense is refused with its reason.
Result<void> check_import(const study::Kind& kind, const study::SettingsText& settings, const study::Record& table);
/// Data of a file, checked before, as a finished take of a study.
/// @param aside  to be looked at, not judged
Result<long long> keep_import(dossier::Store& store, const dossier::Study& study, const study::Record& table,
                              const std::string& file, const std::string& notes, bool aside = false);
/// Both.
Result<long long> import_take(dossier::Store& store, const dossier::Study& study, const study::Record& table,
                              const std::string& file, const std::string& notes, bool aside = false);

}  // namespace heron::run
