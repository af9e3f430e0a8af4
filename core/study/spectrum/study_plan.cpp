#include "study/spectrum/study_plan.h"

#include <algorithm>

#include "study/spectrum/doubts.h"
#include "study/spectrum/preflight.h"
#include "study/spectrum/runner.h"
#include "study/spectrum/words.h"

namespace heron::study::spectrum {

nlohmann::json PlannedSpectrum::to_json() const { return spectrum::to_json(plan_); }
std::vector<BriefPiece> PlannedSpectrum::brief() const { return spectrum::brief(plan_); }

Result<PlanPtr> PlannedSpectrum::with(std::string_view key, std::string_view text, const Surroundings& around) const {
  auto changed = apply(plan_, key, text, around);
  if (!changed) return tl::unexpected(changed.error());
  return std::make_shared<const PlannedSpectrum>(std::move(*changed));
}

BriefHint PlannedSpectrum::hint(std::string_view key, const Surroundings& around) const { return spectrum::hint(plan_, key, around); }

std::vector<Lead> PlannedSpectrum::leads() const {
  std::vector<Lead> out;
  if (plan_.drive != Drive::nothing) out.push_back({.pin = plan_.drive_pin, .name = plan_.drive == Drive::sine ? "generator" : "two generators", .along = true});
  if (!plan_.feed_pin.empty()) out.push_back({.pin = plan_.feed_pin, .name = "DC source"});
  return out;
}

std::string PlannedSpectrum::time_sentence(const bench::Limits& limits) const { return spectrum::time_sentence(plan_, limits); }
std::optional<bench::Levels> PlannedSpectrum::predict(const Surroundings& around) const { return spectrum::predict(plan_, around); }

std::vector<Doubt> PlannedSpectrum::preflight(const Surroundings& around, const bench::Levels* levels) const {
  return spectrum::preflight(plan_, around, levels);
}

Result<void> PlannedSpectrum::run(bench::Bench& bench, const RunContext& context) const { return spectrum::run(plan_, bench, context); }

Remedy PlannedSpectrum::remedy(const Doubt& doubt) const {
  if (doubt.mend == Mend::add_points) return {.edits = {{"points", std::to_string(std::min(200, 2 * plan_.points - 1))}}};
  if (doubt.mend == Mend::average) return {.edits = {{"records", std::to_string(std::min(1000, 4 * plan_.records))}}};
  return {};
}

std::vector<StandIn> PlannedSpectrum::stand_ins() const {
  // Codes have no input of the bench before them.
  const auto& chains = plan_.hookup.chains;
  if (std::any_of(chains.begin(), chains.end(), [](const bench::Chain& c) { return c.input.sensor.reads_codes(); })) return {};
  return {{std::string(kShorted), "Take with the inputs shorted"}};
}

Result<PlanPtr> planned(const nlohmann::json& kept) {
  auto plan = plan_from_json(kept);
  if (!plan) return tl::unexpected(plan.error());
  return std::make_shared<const PlannedSpectrum>(std::move(*plan));
}

Result<PlanPtr> first_plan(const Surroundings& around) {
  if (around.terminals.empty()) return fail(Fault::usage, "The device has no pins yet: load its circuit on the Device page.");
  spectrum::Plan plan;
  plan.drive_pin = around.terminals.front();
  plan.frequency = coherent_frequency(plan.frequency, plan.rate, std::size_t(plan.samples));
  const auto& sensed = around.terminals.size() > 1 ? around.terminals[1] : around.terminals.front();
  plan.hookup.chains = {{.name = "v", .input = {.pin = sensed, .range = {}, .sensor = bench::stock_sensors().front()}, .zero = {}}};
  return std::make_shared<const PlannedSpectrum>(std::move(plan));
}

}  // namespace heron::study::spectrum
