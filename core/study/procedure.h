#pragma once
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>

#include "base/result.h"
#include "bench/bench.h"
#include "study/figure.h"
#include "study/surroundings.h"

namespace heron::study {

class Plan;
class Reduced;

/// A take to be made, with words of the brief changed beforehand.
struct Pass {
  Edits edits = {};
  std::string note = {};
};

/// How a procedure goes on: with a pass, or it has ended.
struct Next {
  std::optional<Pass> pass = {};
  Edits edits = {};      ///< once it has ended: words that it found
  std::string said = {};  ///< once it has ended: what came of it
};

/// Something longer than a take: several with edits between them, or a look at the device that is no take. Made for one
/// use.
class Procedure {
 public:
  virtual ~Procedure() = default;
  Procedure() = default;
  Procedure(const Procedure&) = delete;
  Procedure& operator=(const Procedure&) = delete;

  /// True where the bench is needed before anything else: then probe() is called, in the runner's thread, and its answer
  /// is the beginning.
  virtual bool probes() const { return false; }
  /// What speaks against probing.
  virtual std::vector<Doubt> preflight(const Surroundings&) const { return {}; }
  virtual Result<Next> probe(bench::Bench&, const Surroundings&, std::stop_token) { return Next{}; }
  /// What is told while it probes: "Looking for the compliance, from small".
  virtual std::string doing() const { return {}; }

  /// Else it begins here. @param in_view  what the take in view came to; null for none
  virtual Result<Next> first(const Plan& plan, const Surroundings& around, const Reduced* in_view) = 0;
  /// After each pass.
  virtual Result<Next> after(const Plan& plan, const Surroundings& around, const Reduced& taken) = 0;
};

/// A procedure as it is offered.
struct Offer {
  std::string name;   ///< short, for people who listen: "slow down"
  std::string label;  ///< of the button: "Sweep four times as slowly until it closes"
  std::string tip;
  std::function<std::unique_ptr<Procedure>()> make;
};

/// Something known that can stand in the device's place.
struct StandIn {
  std::string purpose;  ///< "open"; the study's setting of that name tells which take holds it
  std::string label;    ///< "Take with the device out"
};

}  // namespace heron::study
