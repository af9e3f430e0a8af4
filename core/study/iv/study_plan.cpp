#include "study/iv/study_plan.h"

#include <algorithm>

#include "study/hookup_words.h"
#include "study/iv/brief.h"
#include "study/iv/course.h"
#include "study/iv/preflight.h"
#include "study/iv/reduce.h"
#include "study/iv/runner.h"

namespace heron::study::iv {

nlohmann::json PlannedSweep::to_json() const { return iv::to_json(plan_); }

std::vector<BriefPiece> PlannedSweep::brief() const {
  // All but the last part, which says how it is read.
  auto out = iv::brief(plan_);
  const auto parts = std::count_if(out.begin(), out.end(), [](const BriefPiece& p) { return p.heading; });
  int heading = 0;
  for (auto& piece : out) {
    heading += piece.heading;
    piece.drives = heading > 0 && heading < parts;
  }
  return out;
}

Result<PlanPtr> PlannedSweep::with(std::string_view key, std::string_view text, const Surroundings& around) const {
  auto changed = apply(plan_, key, own_sensor(key, text, around.own_sensors), around.pins);
  if (!changed) return tl::unexpected(changed.error());
  return std::make_shared<const PlannedSweep>(std::move(*changed));
}

BriefHint PlannedSweep::hint(std::string_view key, const Surroundings& around) const {
  return offer_own_sensors(iv::hint(plan_, key, around.limits, around.pins), key, around.own_sensors);
}

std::vector<Lead> PlannedSweep::leads() const {
  std::vector<Lead> out;
  for (const auto& s : plan_.sources)
    out.push_back({.pin = s.pin,
                   .against = s.against,
                   .name = s.name,
                   .along = s.role == Role::swept,
                   .about = s.four_wire ? "four-wire: the sense leads go to the pin itself, so the force leads' "
                                          "resistance is not in the reading"
                                        : "two-wire: the resistance of the leads is in the reading"});
  return out;
}

const bench::Hookup* PlannedSweep::hookup() const {
  // Source-measure channels sense what they drive.
  return plan_.method == Method::waveform ? &plan_.hookup : nullptr;
}

std::optional<Alternative> PlannedSweep::by_inputs() const {
  if (hookup()) return std::nullopt;
  return Alternative{"Use generators and inputs", "Use generators and inputs instead",
                     "Ramps from the generators; the current as a voltage over a known resistor",
                     {{"method", "generators and inputs"}}};
}

TimeCourse PlannedSweep::course(const bench::Limits& limits) const { return time_course(plan_, limits); }

int PlannedSweep::points(const bench::Limits& limits) const { return planned_points(plan_, limits); }

double PlannedSweep::seconds(const bench::Limits& limits) const { return sweep_time(plan_, limits); }

std::string PlannedSweep::time_sentence(const bench::Limits& limits) const { return iv::time_sentence(plan_, limits); }

std::vector<Doubt> PlannedSweep::preflight(const Surroundings& around, const bench::Levels*) const {
  return iv::preflight(plan_, around.limits, around.ratings);
}

Result<void> PlannedSweep::run(bench::Bench& bench, const RunContext& context) const {
  return iv::run(plan_, bench, context.keep, context.progress, context.stop,
                 {.ratings = context.around.ratings,
                  .parts = context.around.formula_values(),
                  .parts_u = context.around.formula_uncertainties()});
}

std::string PlannedSweep::only_whole() const { return "Curves of current and voltage are taken again as a whole."; }

Remedy PlannedSweep::remedy(const Doubt& doubt) const {
  if (doubt.mend == Mend::slow_down) return {.procedure = slow_until_closed()};
  if (doubt.mend == Mend::begin_small && !hookup()) return {.procedure = from_small(plan_)};
  return {};
}

std::vector<Offer> PlannedSweep::procedures() const {
  if (hookup()) return {};
  return {from_small(plan_)};
}

std::vector<StandIn> PlannedSweep::stand_ins() const {
  return {{std::string(kDeviceOut), "Take with the device out: its leakage is taken off from then on"}};
}

Result<PlanPtr> planned(const nlohmann::json& kept) {
  auto plan = plan_from_json(kept);
  if (!plan) return tl::unexpected(plan.error());
  return std::make_shared<const PlannedSweep>(std::move(*plan));
}

Result<PlanPtr> first_plan(const Surroundings& around) {
  if (around.terminals.empty()) return fail(Fault::usage, "Load a circuit first: a pin to sweep is wanted.");
  // Small, and well inside the pin's rating: the device is not yet known.
  const auto& pin = around.terminals.front();
  const auto rating = around.ratings.find(pin);
  const double volts = rating != around.ratings.end() && rating->second.voltage ? *rating->second.voltage / 10 : 0.5;
  return std::make_shared<const PlannedSweep>(
      iv::Plan{.sources = {{.name = pin,
                            .pin = pin,
                            .against = "",
                            .role = Role::swept,
                            .values = {.start = 0, .stop = std::min(volts, 1.0), .points = 51},
                            .compliance = 1e-3,
                            .current_range = {}}},
               .sensed = ""});
}

}  // namespace heron::study::iv
