#include "study/switching/study_plan.h"

#include <algorithm>

#include "base/quantity.h"
#include "study/switching/preflight.h"
#include "study/switching/runner.h"
#include "study/switching/words.h"

namespace heron::study::switching {

std::vector<BriefPiece> PlannedSwitching::brief() const { return switching::brief(plan_); }

Result<PlanPtr> PlannedSwitching::with(std::string_view key, std::string_view text, const Surroundings& around) const {
  auto changed = apply(plan_, key, text, around);
  if (!changed) return tl::unexpected(changed.error());
  return std::make_shared<const PlannedSwitching>(std::move(*changed));
}

BriefHint PlannedSwitching::hint(std::string_view key, const Surroundings& around) const { return switching::hint(plan_, key, around); }

std::vector<Lead> PlannedSwitching::leads() const {
  std::vector<Lead> out = {{.pin = plan_.bus_pin, .name = "bus source", .along = true}, {.pin = plan_.gate_pin, .against = plan_.gate_against, .name = "gate driver"}};
  if (plan_.other != Other::alone) out.push_back({.pin = plan_.other_pin, .against = plan_.other_against, .name = "other gate"});
  return out;
}

/// The gates over one shot, of the highest current.
TimeCourse PlannedSwitching::course(const bench::Limits&) const {
  const auto all = plan_.steps();
  const auto step = *std::max_element(all.begin(), all.end(), [&](const auto& a, const auto& b) { return plan_.first(a) < plan_.first(b); });
  const double a = plan_.before, b = a + plan_.first(step), c = b + plan_.gap, d = c + plan_.second, end = plan_.length(step), low = plan_.gate_low, high = plan_.gate_high;
  TimeCourse out{.seconds = end};
  out.tracks.push_back({.name = "gate", .unit = "V", .swept = true, .line = {{0, low}, {a, low}, {a, high}, {b, high}, {b, low}, {c, low}, {c, high}, {d, high}, {d, low}, {end, low}}, .read = {}});
  const auto peak = predicted(plan_, step).peak_current;
  out.tracks.push_back({.name = "load", .unit = "A", .swept = false, .line = {{0, 0}, {a, 0}, {b, step.current}, {c, step.current}, {d, peak}, {end, peak}}, .read = {}});
  return out;
}

std::string PlannedSwitching::time_sentence(const bench::Limits& limits) const { return switching::time_sentence(plan_, limits); }
std::vector<Doubt> PlannedSwitching::preflight(const Surroundings& around, const bench::Levels*) const { return switching::preflight(plan_, around); }
Result<void> PlannedSwitching::run(bench::Bench& bench, const RunContext& context) const { return switching::run(plan_, bench, context); }

std::string PlannedSwitching::arms() const {
  return fmt::format("{} at {}", format_setting(*std::max_element(plan_.buses.begin(), plan_.buses.end()), "V"), plan_.bus_pin);
}

Remedy PlannedSwitching::remedy(const Doubt& doubt) const {
  if (doubt.mend == Mend::average) return {.edits = {{"shots", std::to_string(std::min(1000, 4 * plan_.shots))}}};
  if (doubt.mend == Mend::raise_inductance) return {.edits = {{"inductance", format_setting(rounded_to(2 * plan_.inductance, 2), "H")}}};
  return {};
}

Result<PlanPtr> planned(const nlohmann::json& kept) {
  auto plan = plan_from_json(kept);
  if (!plan) return tl::unexpected(plan.error());
  if (auto ok = check(*plan); !ok) return tl::unexpected(ok.error());
  return std::make_shared<const PlannedSwitching>(std::move(*plan));
}

Result<PlanPtr> first_plan(const Surroundings& around) {
  if (around.terminals.size() < 3) return fail(Fault::usage, "A device with a bus, a gate and a switching node is wanted: load its circuit on the Device page.");
  switching::Plan plan;
  plan.bus_pin = around.terminals[0];
  plan.gate_pin = around.terminals[1];
  const auto* clamp = bench::find_stock_sensor("Clamp 40 A");
  const auto* probe = bench::find_stock_sensor("Probe x10");
  plan.hookup.chains = {{.name = "v_ds", .input = {.pin = around.terminals[2], .range = {}, .sensor = probe ? *probe : bench::Sensor{}}, .zero = {}}};
  for (const auto& pin : around.pins)
    if (clamp && pin != bench::kDriveLead && std::find(around.terminals.begin(), around.terminals.end(), pin) == around.terminals.end()) {
      plan.hookup.chains.push_back({.name = "i_d", .input = {.pin = pin, .range = {}, .sensor = *clamp}, .zero = {}});
      break;
    }
  return std::make_shared<const PlannedSwitching>(std::move(plan));
}

}  // namespace heron::study::switching
