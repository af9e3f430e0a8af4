#include "study/waveform/study_plan.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/waveform/expected.h"
#include "study/waveform/preflight.h"
#include "study/waveform/runner.h"
#include "study/waveform/words.h"

namespace heron::study::waveform {

nlohmann::json PlannedCapture::to_json() const { return waveform::to_json(plan_); }

std::vector<BriefPiece> PlannedCapture::brief() const { return waveform::brief(plan_); }

Result<PlanPtr> PlannedCapture::with(std::string_view key, std::string_view text, const Surroundings& around) const {
  auto changed = apply(plan_, key, text, around);
  if (!changed) return tl::unexpected(changed.error());
  return std::make_shared<const PlannedCapture>(std::move(*changed));
}

BriefHint PlannedCapture::hint(std::string_view key, const Surroundings& around) const {
  return waveform::hint(plan_, key, around);
}

std::vector<Lead> PlannedCapture::leads() const {
  std::vector<Lead> out;
  switch (plan_.drive) {
    case Drive::nothing:
    case Drive::contact:
      break;
    case Drive::generator:
      out.push_back({.pin = plan_.drive_pin, .name = "generator", .along = true});
      break;
    case Drive::supply:
      out.push_back({.pin = plan_.drive_pin, .name = "DC source", .along = true});
      break;
    case Drive::surge:
      out.push_back({.pin = plan_.drive_pin, .name = "surge generator", .along = true});
      break;
  }
  if (!plan_.feed_pin.empty()) out.push_back({.pin = plan_.feed_pin, .name = "DC source"});
  return out;
}

/// The drive over one record.
TimeCourse PlannedCapture::course(const bench::Limits&) const {
  if (plan_.drive != Drive::generator) return {};
  const double lead = plan_.when == When::at_once ? 0 : plan_.before * plan_.length;
  const auto wave = wave_of(plan_, lead);
  Track track{.name = "generator", .unit = "V", .swept = true, .line = {}, .read = {}};
  constexpr int kPlaces = 240;
  for (int k = 0; k <= kPlaces; ++k) {
    const double t = plan_.length * k / kPlaces;
    track.line.emplace_back(t, wave.at(t));
  }
  return {{std::move(track)}, plan_.length};
}

double PlannedCapture::seconds(const bench::Limits&) const {
  return plan_.passes * (plan_.length + (plan_.feed_pin.empty() ? 0 : plan_.feed_time));
}

std::string PlannedCapture::time_sentence(const bench::Limits& limits) const {
  return waveform::time_sentence(plan_, limits);
}

std::optional<bench::Levels> PlannedCapture::predict(const Surroundings& around) const {
  return waveform::predict(plan_, around);
}

std::vector<Doubt> PlannedCapture::preflight(const Surroundings& around, const bench::Levels* levels) const {
  return waveform::preflight(plan_, around, levels);
}

Result<ExpectedPtr> PlannedCapture::expected(const Surroundings& around, std::stop_token stop) const {
  const auto settings = settings_from_text(around.settings);
  if (!settings) return tl::unexpected(settings.error());
  auto out = expected_waveforms(plan_, around, *settings, stop);
  if (!out) return tl::unexpected(out.error());
  return *out;
}

Result<void> PlannedCapture::run(bench::Bench& bench, const RunContext& context) const {
  return waveform::run(plan_, bench, context);
}

std::string PlannedCapture::arms() const {
  if (plan_.drive != Drive::surge) return {};
  return fmt::format("a surge of {} at {}", format_setting(plan_.surge_peak, "V"), plan_.drive_pin);
}

Remedy PlannedCapture::remedy(const Doubt& doubt) const {
  if (doubt.mend == Mend::average && plan_.repeats() && plan_.when != When::at_once)
    return {.edits = {{"passes", std::to_string(std::min(10000, 4 * plan_.passes))}}};
  return {};
}

Result<PlanPtr> planned(const nlohmann::json& kept) {
  auto plan = plan_from_json(kept);
  if (!plan) return tl::unexpected(plan.error());
  return std::make_shared<const PlannedCapture>(std::move(*plan));
}

Result<PlanPtr> first_plan(const Surroundings& around) {
  if (around.terminals.empty())
    return fail(Fault::usage, "The device has no pins yet: load its circuit on the Device page.");
  waveform::Plan plan;
  plan.drive_pin = around.terminals.front();
  const auto& sensed = around.terminals.size() > 1 ? around.terminals[1] : around.terminals.front();
  plan.hookup.chains = {{.name = "v", .input = {.pin = sensed, .range = {}, .sensor = bench::stock_sensors().front()}, .zero = {}}};
  plan.quantity = "v";
  return std::make_shared<const PlannedCapture>(std::move(plan));
}

}  // namespace heron::study::waveform
