#include "study/conversion/study_plan.h"

#include "base/quantity.h"
#include "study/conversion/preflight.h"
#include "study/conversion/runner.h"
#include "study/conversion/words.h"

namespace heron::study::conversion {

std::vector<BriefPiece> PlannedConversion::brief() const { return conversion::brief(plan_); }

Result<PlanPtr> PlannedConversion::with(std::string_view key, std::string_view text, const Surroundings& around) const {
  auto changed = apply(plan_, key, text, around);
  if (!changed) return tl::unexpected(changed.error());
  return std::make_shared<const PlannedConversion>(std::move(*changed));
}

BriefHint PlannedConversion::hint(std::string_view key, const Surroundings& around) const { return conversion::hint(plan_, key, around); }

std::vector<Lead> PlannedConversion::leads() const {
  const std::string about = plan_.sensed ? "senses at the device's pins" : "senses at its own terminals, before its leads";
  return {{.pin = plan_.source_pin, .name = plan_.feeder == Feeder::supply ? "DC source" : "source-measure channel 1", .along = plan_.inner == Inner::line, .about = about}, {.pin = plan_.load_pin, .name = "electronic load", .along = plan_.inner == Inner::load, .about = about}};
}

std::string PlannedConversion::time_sentence(const bench::Limits& limits) const { return conversion::time_sentence(plan_, limits); }
std::optional<bench::Levels> PlannedConversion::predict(const Surroundings& around) const { return conversion::predict(plan_, around); }
std::vector<Doubt> PlannedConversion::preflight(const Surroundings& around, const bench::Levels* levels) const { return conversion::preflight(plan_, around, levels ? *levels : bench::Levels()); }
Result<void> PlannedConversion::run(bench::Bench& bench, const RunContext& context) const { return conversion::run(plan_, bench, context); }

Remedy PlannedConversion::remedy(const Doubt& doubt) const {
  const auto longer = format_setting(std::max(4 * plan_.settle_time, 1e-3), "s");
  if (doubt.mend == Mend::settle && plan_.of_points()) return {.edits = {{"settle", longer}}};
  if (doubt.mend == Mend::warm_up) return {.edits = {{"warm_up", format_setting(std::max(2 * plan_.warm_up, 60.0), "s")}}};
  if (doubt.mend == Mend::raise_source_limit) return {.edits = {{"source_limit", format_setting(std::min(30.0, 2 * plan_.source_limit), "A")}}};
  if (doubt.mend == Mend::average && plan_.of_points() && plan_.readings < 4096) return {.edits = {{"readings", std::to_string(std::min(4096, 4 * plan_.readings))}}};
  return {};
}

Result<PlanPtr> planned(const nlohmann::json& kept) {
  auto plan = plan_from_json(kept);
  if (!plan) return tl::unexpected(plan.error());
  return std::make_shared<const PlannedConversion>(std::move(*plan));
}

Result<PlanPtr> first_plan(const Surroundings& around) {
  if (around.terminals.size() < 2) return fail(Fault::usage, "A device with an input and an output is wanted: load its circuit on the Device page.");
  conversion::Plan plan;
  plan.source_pin = around.terminals.front();
  plan.load_pin = around.terminals[1];
  plan.loads = {0.01, 0.02, 0.05, 0.1};
  return std::make_shared<const PlannedConversion>(std::move(plan));
}

}  // namespace heron::study::conversion
