#pragma once
#include <functional>
#include <memory>
#include <set>

#include "dossier/store.h"
#include "sim/circuit.h"
#include "study/response/runner.h"

/// Running a study of a dossier on a bench, and reading its takes: what the application and the command line share.
namespace heron::dossier {

/// Makes the bench for the dossier's device and unit. The one place where a bench is chosen.
/// @param name  "simulated", or "paced" for one that is no faster than a real one
/// @param seed  of the simulated instruments and their noise
/// @param standard  "open", "short" or "load" in the device's place; empty for the device
Result<std::unique_ptr<bench::Bench>> open_bench(Store& store, const std::string& name, std::uint64_t seed,
                                                 long long assembly = kMainAssembly, const std::string& standard = {},
                                                 double load_resistance = 1000);

/// Every part value of a simulated unit as it was drawn within its tolerance: what no measurement is told, for those
/// who hold measurements against it. Empty without a circuit.
nlohmann::json drawn_values(Store& store, const Unit& unit, long long assembly);

/// Pins and branches of the device's circuit, and its ratings.
Result<std::vector<std::string>> device_pins(Store& store, long long assembly = kMainAssembly);
device::Ratings device_ratings(Store& store, long long assembly = kMainAssembly);

/// The circuit's ratings with those set by hand over them.
void apply_ratings(sim::Circuit& circuit, const device::Ratings& by_hand);

/// What the device should show under a plan; nothing where its circuit cannot say.
std::optional<bench::Levels> predict_levels(Store& store, const study::response::Plan& plan,
                                            long long assembly = kMainAssembly);
std::optional<bench::Levels> predict_levels(const sim::Circuit& circuit, const study::response::Plan& plan);

/// Volts at the chain's input with nothing in its sensor: leads shorted, branch open.
Result<double> read_zero(const bench::Chain& chain, const std::string& bench_name);

/// A sine of the generator that is known, read through the chain as it is set up.
struct KnownSignal {
  double read = 0, known = 0;  ///< peak, in the quantity
  double u = 0;                ///< relative standard uncertainty of both together
};
Result<KnownSignal> read_known_signal(const bench::Chain& chain, const std::string& bench_name);

/// What formulas see: nominal part values, with the fitted ones of a take or of a unit put over them.
judge::PartValues part_values(Store& store, const std::map<std::string, double>& fitted,
                              long long assembly = kMainAssembly);

struct TakeEvents {
  std::function<void(const std::vector<study::Doubt>&)> found;  ///< by preflight, before anything is driven
  std::function<void(long long take)> began;
  std::function<void(long long take, const study::Point&)> point;
  std::function<void(const study::response::Progress&)> progress;
};

/// What else a run is told.
struct RunOptions {
  std::string note = {};
  std::set<std::string> accepted = {};  ///< serious findings taken upon oneself
  std::string purpose = {};             ///< "open", "short", "load": see Take; empty: of the device
  /// Points of an earlier take to read anew; all its others are carried over as they are.
  std::optional<long long> base = {};
  std::vector<int> only = {};
};

/// Runs preflight, then the study unless a serious finding that is not accepted forbids it, point by point into the
/// dossier. The seed is stored with the take.
/// @return the take's id; on Fault::stopped and Fault::bench what was read is kept in the take, which `began` has named
Result<long long> run_take(Store& store, const Study& study, const std::string& bench_name, std::uint64_t seed,
                           const RunOptions& options, const TakeEvents& events, std::stop_token stop);

/// The take's points with those of the open, short and load that the study's settings name beside them.
Result<std::vector<study::Point>> points_of(Store& store, const Study& study, const Take& take);

/// Figures, doubts and curve of a take, with the claims' figures read as well. A dead take has the doubt
/// "take.incomplete".
Result<study::Analysis> analyse_take(Store& store, const Study& study, const Take& take);

/// One line of the ledger.
struct LedgerLine {
  std::string study;
  std::optional<judge::Claim> claim;  ///< or...
  std::optional<judge::Mask> mask;
  judge::Judgement judgement;

  const std::string& text() const { return claim ? claim->text : mask->text; }
};

/// The claims and masks of a study against one take; everything not measured without one.
Result<std::vector<LedgerLine>> judge_take(Store& store, const Study& study, const Take* take,
                                           const study::Analysis* analysis);

/// The whole ledger: every study against its newest take that has points and is not laid aside.
Result<std::vector<LedgerLine>> ledger(Store& store);

/// Data of a file as a finished take of a study.
/// @param aside  to be looked at, not judged
Result<long long> import_take(Store& store, const Study& study, const study::Record& table, const std::string& file,
                              const std::string& notes, bool aside = false);

}  // namespace heron::dossier
