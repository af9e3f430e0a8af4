#include "study/switching/plan.h"

#include <cmath>

#include "base/quantity.h"
#include "study/switching/words.h"

namespace heron::study::switching {

std::vector<Plan::Step> Plan::steps() const {
  std::vector<std::optional<double>> warm;
  for (const double t : temperatures) warm.emplace_back(t);
  if (warm.empty()) warm.emplace_back();
  std::vector<Step> out;
  for (const auto& t : warm)
    for (const double r : resistors)
      for (const double v : buses)
        for (const double i : currents) out.push_back({v, i, r, t});
  return out;
}

double Plan::first(const Step& s) const { return inductance * s.current / s.bus; }
double Plan::length(const Step& s) const { return before + first(s) + gap + second + after; }
long long Plan::samples(const Step& s) const { return std::llround(length(s) * rate) + 1; }

double Plan::seconds(const bench::Limits& limits) const {
  double out = 0, charged = 0;
  const auto all = steps();
  for (const auto& s : all) {
    if (limits.bus_current > 0) out += capacitance * std::abs(s.bus - charged) / limits.bus_current;
    charged = s.bus;
    out += shots * (rest + length(s));
  }
  return out;
}

Predicted predicted(const Plan& p, const Plan::Step& s) {
  Predicted out{.first = p.first(s)};
  out.peak_current = s.current + s.bus * p.second / p.inductance;
  out.conducted = s.current * out.first / 2 + (s.current + out.peak_current) / 2 * p.second;
  out.droop = p.capacitance > 0 ? out.conducted / p.capacitance : 0;
  out.inductor_energy = p.inductance * out.peak_current * out.peak_current / 2;
  out.power = p.rest > 0 ? out.inductor_energy / p.rest : INFINITY;
  return out;
}

Result<void> check(const Plan& p) {
  if (p.buses.empty() || p.currents.empty() || p.resistors.empty()) return fail(Fault::input, "A bus voltage, a current and a gate resistor are wanted, one of each at least.");
  const auto all = p.steps();
  if (all.size() * std::size_t(p.shots) > kMostShots) return fail(Fault::input, "{} shots are more than {}.", all.size() * std::size_t(p.shots), kMostShots);
  for (const auto& s : all) {
    if (!(s.bus > 0) || !(s.current > 0) || !(s.resistor > 0)) return fail(Fault::input, "Bus voltages, currents and gate resistors lie above zero.");
    if (p.samples(s) > kMostSamples)
      return fail(Fault::input, "The first pulse to {} takes {}: its record has more than {} samples. Sample more slowly, or take a smaller inductor.", format_setting(s.current, "A"), format_duration(p.first(s)), kMostSamples);
  }
  if (!(p.gate_high > p.gate_low)) return fail(Fault::input, "The gate is high above {}, not at {}.", format_setting(p.gate_low, "V"), format_setting(p.gate_high, "V"));
  if (p.other != Other::alone && (p.other_pin.empty() || p.other_pin == p.gate_pin)) return fail(Fault::input, "Name the pin of the other device's gate.");
  if (p.other == Other::opposite && !(2 * p.dead_time < p.gap)) return fail(Fault::input, "Two dead times of {} leave nothing of the {} between the pulses.", format_setting(p.dead_time, "s"), format_setting(p.gap, "s"));
  return {};
}

Result<Plan> plan_from_json(const nlohmann::json& kept) {
  Plan out;
  if (auto ok = words().from_json(kept, out); !ok) return tl::unexpected(ok.error());
  return out;
}

nlohmann::json to_json(const Plan& plan) { return words().to_json(plan); }

}  // namespace heron::study::switching
