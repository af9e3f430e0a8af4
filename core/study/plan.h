#pragma once
#include <functional>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <stop_token>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/clocks.h"
#include "base/result.h"
#include "bench/bench.h"
#include "bench/levels.h"
#include "study/brief.h"
#include "study/expected.h"
#include "study/figure.h"
#include "study/procedure.h"
#include "study/progress.h"
#include "study/raw.h"
#include "study/recorder.h"
#include "study/repeat.h"
#include "study/surroundings.h"
#include "study/time_course.h"
#include "study/watch.h"

namespace heron::study {

/// Something that drives, for the Hookup page.
struct Lead {
  std::string pin, against;  ///< against empty: ground
  std::string name;          ///< "generator", "gate"
  bool along = false;        ///< what the sweep goes along
  std::string about = {};    ///< where a source reads what it drives: how its leads go, in words
};

/// Another way to sense, as a button offers it.
struct Alternative {
  std::string name, label, tip;  ///< short, for people who listen; of the button; beside it
  Edits edits;
};

/// What a doubt's remedy comes down to.
struct Remedy {
  Edits edits = {};               ///< words of the brief
  std::optional<Offer> procedure = {};  ///< or something longer
};

/// What a run is told besides its plan.
struct RunContext {
  const Surroundings& around;
  std::string purpose = {};          ///< what stands in the device's place; empty: the device itself
  std::uint64_t seed = 1;            ///< of what is random on purpose
  std::vector<Point> again = {};     ///< points of an earlier take to read anew, without their records; empty: all of the plan
  std::function<Result<void>(const Point&)> keep;      ///< called as soon as a point is read; its failure ends the run
  /// Begins a point whose record is stored while it comes; its channels have no counts yet. What is not kept that way goes to `keep`.
  std::function<Result<std::unique_ptr<Recorder>>(const Point& head)> record = {};
  std::function<void(const Point&)> so_far = {};       ///< a point that is still being read, to be looked at; not kept
  std::function<void(const Progress&)> progress = {};  ///< between points, and while one takes long
  std::function<void(const std::string&)> say = {};    ///< once, what a person must know when it is over
  /// Of a person, who sets something by hand: "Set the surroundings to 60 degC". Returns when it is done, or Fault::stopped.
  std::function<Result<void>(const std::string& what)> ask = {};
  std::function<void(const Watch&)> tripped = {};      ///< a watch that is looked at while no whole record is kept
  std::stop_token stop = {};
  std::function<Clocks()> clocks = read_clocks;
};

class Plan;
using PlanPtr = std::shared_ptr<const Plan>;

/// What a study asks of the bench. Never altered; an edit gives another.
class Plan {
 public:
  virtual ~Plan() = default;
  Plan() = default;
  Plan(const Plan&) = delete;
  Plan& operator=(const Plan&) = delete;

  virtual nlohmann::json to_json() const = 0;

  /// The set-up as sentences whose words with a key can be edited.
  virtual std::vector<BriefPiece> brief() const = 0;
  /// With one word changed, checked as a whole; or why the word makes no sense, in a sentence.
  virtual Result<PlanPtr> with(std::string_view key, std::string_view text, const Surroundings& around) const = 0;
  /// What is shown beside a word, for a plan that already holds it.
  virtual BriefHint hint(std::string_view key, const Surroundings& around) const = 0;

  /// What drives.
  virtual std::vector<Lead> leads() const = 0;
  /// What the inputs sense; null where no input does.
  virtual const bench::Hookup* hookup() const { return nullptr; }
  /// Where no input senses: how inputs could.
  virtual std::optional<Alternative> by_inputs() const { return std::nullopt; }
  /// Sources against time; empty where a picture of that says nothing.
  virtual TimeCourse course(const bench::Limits&) const { return {}; }

  /// How many are meant to come; 0 where nobody knows.
  virtual int points(const bench::Limits& limits) const = 0;
  /// On a real bench.
  virtual double seconds(const bench::Limits& limits) const = 0;
  /// Both in a sentence.
  virtual std::string time_sentence(const bench::Limits& limits) const = 0;

  /// What the circuit should show; nothing where it cannot say.
  virtual std::optional<bench::Levels> predict(const Surroundings&) const { return std::nullopt; }
  /// What speaks against a run before anything is driven; serious findings forbid it.
  /// @param levels  as predicted; null where nothing can be
  virtual std::vector<Doubt> preflight(const Surroundings& around, const bench::Levels* levels) const = 0;
  /// What the circuit or a formula should show of it: drawn, never mixed with what was measured. Null where nothing is
  /// expected.
  virtual Result<ExpectedPtr> expected(const Surroundings&, std::stop_token) const { return ExpectedPtr(); }

  /// Asks the bench for one point after another. Runs in the caller's thread until done, stopped or failed; all that
  /// drives is off afterwards in every case.
  virtual Result<void> run(bench::Bench& bench, const RunContext& context) const = 0;
  virtual Repeat repeat() const { return Repeat::once; }
  /// What a person arms by hand for each take, "48 V at bus"; empty where nothing of it can harm.
  virtual std::string arms() const { return {}; }
  /// Why single points cannot be read anew; empty where they can.
  virtual std::string only_whole() const { return "It is taken again as a whole."; }

  /// What would remove the cause of a doubt about a take; empty where no edit helps.
  virtual Remedy remedy(const Doubt&) const { return {}; }
  /// What may be done beside a plain take.
  virtual std::vector<Offer> procedures() const { return {}; }
  /// What can be put in the device's place to be taken off what is read.
  virtual std::vector<StandIn> stand_ins() const { return {}; }

  /// Network data of one port are impedances to this study, not gains.
  virtual bool reads_impedance() const { return false; }
};

}  // namespace heron::study
