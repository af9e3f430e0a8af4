#include "study/power/study_plan.h"

#include <algorithm>

#include "study/power/look_at_wiring.h"
#include "study/power/preflight.h"
#include "study/power/runner.h"
#include "study/power/words.h"

namespace heron::study::power {

std::vector<BriefPiece> PlannedPower::brief() const { return power::brief(plan_); }

Result<PlanPtr> PlannedPower::with(std::string_view key, std::string_view text, const Surroundings& around) const {
  auto changed = apply(plan_, key, text, around);
  if (!changed) return tl::unexpected(changed.error());
  return std::make_shared<const PlannedPower>(std::move(*changed));
}

BriefHint PlannedPower::hint(std::string_view key, const Surroundings& around) const { return power::hint(plan_, key, around); }

std::vector<Lead> PlannedPower::leads() const {
  switch (plan_.feed) {
    case Feed::own: return {};
    case Feed::mains: return {{.pin = plan_.pin, .name = "mains source", .along = true}};
    case Feed::supply: return {{.pin = plan_.pin, .name = "DC source", .along = true}};
    case Feed::phases:
    case Feed::inverter: break;
  }
  const std::string source = plan_.feed == Feed::inverter ? "inverter " : "mains ";
  return {{.pin = plan_.pin, .name = source + "a", .along = true}, {.pin = plan_.pin_b, .name = source + "b"}, {.pin = plan_.pin_c, .name = source + "c"}};
}

std::string PlannedPower::time_sentence(const bench::Limits& limits) const { return power::time_sentence(plan_, limits); }
std::vector<Doubt> PlannedPower::preflight(const Surroundings& around, const bench::Levels*) const { return power::preflight(plan_, around); }
Result<void> PlannedPower::run(bench::Bench& bench, const RunContext& context) const { return power::run(plan_, bench, context); }

std::vector<Offer> PlannedPower::procedures() const {
  auto look = look_at_wiring(plan_);
  return look ? std::vector<Offer>{std::move(*look)} : std::vector<Offer>{};
}

Result<PlanPtr> planned(const nlohmann::json& kept) {
  auto plan = plan_from_json(kept);
  if (!plan) return tl::unexpected(plan.error());
  return std::make_shared<const PlannedPower>(std::move(*plan));
}

Result<PlanPtr> first_plan(const Surroundings& around) {
  if (around.terminals.empty()) return fail(Fault::usage, "The device has no pins yet: load its circuit on the Device page.");
  power::Plan plan;
  plan.pin = around.terminals.front();
  plan.hookup.chains = {{.name = "v", .input = {.pin = plan.pin, .range = {}, .sensor = bench::stock_sensors().front()}, .zero = {}}};
  return std::make_shared<const PlannedPower>(std::move(plan));
}

}  // namespace heron::study::power
