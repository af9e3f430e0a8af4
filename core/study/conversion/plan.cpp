#include "study/conversion/plan.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/conversion/words.h"

namespace heron::study::conversion {

long long Plan::samples() const { return of_points() ? readings : std::llround(length * rate); }

std::vector<Plan::Step> Plan::all_steps() const {
  std::vector<Step> out;
  std::vector<std::optional<double>> tellings;
  for (const double v : told_values)
    if (!told.empty()) tellings.emplace_back(v);
  if (tellings.empty()) tellings.emplace_back();
  for (const auto& value : tellings) {
    if (!of_points()) {
      out.push_back({lines.front(), loads.front(), value});
      continue;
    }
    const auto &outer = inner == Inner::load ? lines : loads, &within = inner == Inner::load ? loads : lines;
    for (const double a : outer)
      for (const double b : within) out.push_back(inner == Inner::load ? Step{a, b, value} : Step{b, a, value});
  }
  return out;
}

double Plan::seconds(const bench::Limits& limits) const {
  const double reading = of_points() ? readings / rate + 2 * limits.reading_time : length;
  const double until_it_rests = thermometer.empty() ? 0 : kTemperatureEvery * double(kRestsOver - 1) + kRestsOver * limits.thermometer_time;  // at least
  return warm_up + double(all_steps().size()) * (settle_time + until_it_rests + rest + reading + limits.overhead_per_point);
}

Result<void> check(const Plan& p) {
  if (p.lines.empty() || p.loads.empty()) return fail(Fault::input, "At least one line and one load are wanted.");
  if (p.source_pin == p.load_pin) return fail(Fault::input, "Source and load are at one pin: the input is fed, the output is loaded.");
  if (p.feeder == Feeder::source_measure && !p.sensed)
    return fail(Fault::input, "A source-measure channel senses at the device's pins, and the load with it: sense there, or feed by the DC source.");
  if (!p.told.empty() && p.told_unit != "Hz" && p.told_unit != "degC")
    return fail(Fault::input, "{} is neither a frequency nor a temperature: take each of its values as a take of its own.", p.told);
  if (!p.told.empty() && p.told_values.empty()) return fail(Fault::input, "Which values is {} told?", p.told);
  if (p.told_unit == "Hz" && std::any_of(p.told_values.begin(), p.told_values.end(), [](double v) { return !(v > 0); })) return fail(Fault::input, "A frequency is above zero.");
  if (p.all_steps().size() > kMostPoints) return fail(Fault::input, "{} points are more than {}. Take fewer lines or loads.", p.all_steps().size(), kMostPoints);
  if (p.samples() > kMostSamples)
    return fail(Fault::input, "A record of {} at {} has more than {} samples. Sample more slowly, or for a shorter time.", format_duration(p.length), format_setting(p.rate, "Hz"), kMostSamples);
  if (!p.of_points()) {
    if (p.hookup.chains.empty()) return fail(Fault::input, "A record wants an input that senses vout: connect one on the Hookup page.");
    if (p.samples() < 64) return fail(Fault::input, "A record of {} at {} has too few samples. Sample faster.", format_duration(p.length), format_setting(p.rate, "Hz"));
    if (!p.hookup.unit_of("vout")) return fail(Fault::input, "No quantity of the hookup is called vout: name the one that senses the output so.");
  }
  if (p.method == Method::load_steps && p.mode != bench::LoadMode::current) return fail(Fault::input, "The load steps between currents, not resistances or powers.");
  if (p.method == Method::line_steps && p.lines.size() < 2) return fail(Fault::input, "To step the line, two lines are wanted, such as 10 V, 14 V.");
  if (p.method == Method::load_steps && p.loads.size() < 2) return fail(Fault::input, "To step the load, two currents are wanted, such as 100 mA, 1 A.");
  if (p.steps() && !(p.period > 8 * p.edge)) return fail(Fault::input, "Edges of {} leave nothing of a period of {} to settle in.", format_setting(p.edge, "s"), format_setting(p.period, "s"));
  if (p.steps() && p.length < 2 * p.period) return fail(Fault::input, "A record of {} holds fewer than two periods of {}.", format_setting(p.length, "s"), format_setting(p.period, "s"));
  if (p.mode == bench::LoadMode::resistance && std::any_of(p.loads.begin(), p.loads.end(), [](double v) { return !(v > 0); })) return fail(Fault::input, "A resistance is above zero.");
  return {};
}

Result<Plan> plan_from_json(const nlohmann::json& kept) {
  Plan out;
  if (auto ok = words().from_json(kept, out); !ok) return tl::unexpected(ok.error());
  return out;
}

nlohmann::json to_json(const Plan& plan) { return words().to_json(plan); }

}  // namespace heron::study::conversion
