#include "study/conversion/preflight.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/conversion/rows.h"

namespace heron::study::conversion {
namespace {

constexpr double kNearRating = 0.9;
constexpr double kEfficient = 0.8;  ///< guess of an efficiency, for what the source must give
constexpr double kLongSweep = 600;  ///< s

std::string shown_load(const Plan& p, double v) { return format_setting(v, p.mode == bench::LoadMode::current ? "A" : p.mode == bench::LoadMode::power ? "W" : "ohm"); }

/// The largest current that the load may draw, where the output's voltage is known at all.
std::optional<double> highest_load(const Plan& p, std::optional<double> vout) {
  const auto [low, high] = std::minmax_element(p.loads.begin(), p.loads.end());
  if (p.mode == bench::LoadMode::current) return *high;
  if (!vout || !(*vout > 0)) return std::nullopt;
  return p.mode == bench::LoadMode::power ? *high / *vout : *vout / *low;
}

std::optional<double> nominal_of(const Surroundings& around) {
  const auto settings = settings_from_text(around.settings);
  std::optional<double> out;
  if (settings) out = settings->nominal;
  return out;
}

void check_ratings(const Plan& p, const Surroundings& around, std::optional<double> current, std::vector<Doubt>& out) {
  const double highest = *std::max_element(p.lines.begin(), p.lines.end());
  if (const auto it = around.ratings.find(p.source_pin); it != around.ratings.end())
    if (const auto most = it->second.voltage_towards(1); most && highest > kNearRating * *most) {
      const bool over = highest > *most * (1 + 1e-9);
      out.push_back(rating_finding(over, fmt::format("{} would see {}; its rating is {}.", p.source_pin, format_setting(highest, "V"), format_setting(*most, "V")), "Lower the highest line."));
    }
  if (!current) return;
  if (const auto it = around.ratings.find(p.load_pin); it != around.ratings.end())
    if (const auto most = it->second.current_towards(1); most && *current > kNearRating * *most) {
      const bool over = *current > *most * (1 + 1e-9);
      out.push_back(rating_finding(over, fmt::format("{} would give {}; its rating is {}.", p.load_pin, format_quantity(*current, "A", 3).plain(), format_setting(*most, "A")), "Lower the highest load."));
    }
}

void check_bench(const Plan& p, const Surroundings& around, std::optional<double> vout, std::optional<double> current, std::vector<Doubt>& out) {
  const auto& limits = around.limits;
  const double highest = *std::max_element(p.lines.begin(), p.lines.end()), lowest = *std::min_element(p.lines.begin(), p.lines.end());
  const auto [feeder, reach, gives] = p.feeder == Feeder::supply ? std::tuple{"DC source", limits.supply_voltage, limits.supply_current}
                                                                 : std::tuple{"source-measure channel", limits.source_measure_voltage, limits.source_measure_current};
  if (reach > 0 && highest > reach)
    out.push_back({"source.limit", Severity::serious, fmt::format("The {} reaches {}.", feeder, format_setting(reach, "V")), "Lower the highest line.", {}, true});
  if (gives > 0 && p.source_limit > gives)
    out.push_back({"source.limit", Severity::serious, fmt::format("The {} gives {} at most.", feeder, format_setting(gives, "A")), "Lower its limit.", {{"source_limit", format_setting(gives, "A")}}, true});
  if (current && limits.load_current > 0 && *current > limits.load_current)
    out.push_back({"compliance.reached", Severity::serious, fmt::format("The load takes {} at most; {} is asked.", format_setting(limits.load_current, "A"), format_quantity(*current, "A", 3).plain()), "Lower the highest load.", {}, true});
  if (current && vout && lowest > 0) {
    const double wanted = *current * *vout / kEfficient / lowest;
    if (wanted > p.source_limit)
      out.push_back({"source.limit", Severity::caution,
                     fmt::format("At {} and {} about {} would flow in; the source folds back at {}.", format_setting(lowest, "V"), shown_load(p, p.mode == bench::LoadMode::resistance ? *std::min_element(p.loads.begin(), p.loads.end()) : *std::max_element(p.loads.begin(), p.loads.end())),
                                 format_quantity(wanted, "A", 2).plain(), format_setting(p.source_limit, "A")),
                     "Raise its limit.", {{"source_limit", format_setting(rounded_to(1.3 * wanted, 2), "A")}}});
    if (p.mode == bench::LoadMode::power && wanted > 0.7 * p.source_limit)
      out.push_back({"source.oscillates", Severity::caution, "A load of constant power draws the more the lower its voltage: where the source folds back, both swing.", "Raise the source's limit, or load by a constant current.", {{"mode", "a constant current"}}});
  }
  if (!p.sensed && current && *current > 0 && limits.lead_resistance > 0)
    out.push_back({"leads.drop", Severity::caution, fmt::format("Sensed at their terminals: leads of {} drop {} at {}.", format_setting(limits.lead_resistance, "ohm"), format_quantity(*current * limits.lead_resistance, "V", 2).plain(), format_quantity(*current, "A", 3).plain()),
                   "Sense at the device's pins.", {{"sensing", "at the device's pins"}}});
  if (const double seconds = p.seconds(limits); seconds > kLongSweep)
    out.push_back({"sweep.long", Severity::note, fmt::format("It takes {} on a real bench.", format_duration(seconds)), "Take fewer lines or loads, or settle for a shorter time."});
}

}  // namespace

bench::Levels predict(const Plan& p, const Surroundings& around) {
  bench::Levels out;
  const auto vout = nominal_of(around);
  const auto current = highest_load(p, vout);
  out.pins[p.source_pin].dc = *std::max_element(p.lines.begin(), p.lines.end());
  if (vout) out.pins[p.load_pin].dc = *vout;
  for (const auto& chain : p.hookup.chains) {
    const bool of_current = chain.input.sensor.senses_current();
    // What does not alternate is lost to such an input; between two pins nobody knows.
    if (chain.input.coupling == bench::Coupling::ac) continue;
    if (const auto pin = out.pins.find(chain.input.pin); !of_current && chain.input.against.empty() && pin != out.pins.end()) out.quantities[chain.name] = pin->second;
    if (of_current && current && chain.name == port_name(Port::iout)) out.quantities[chain.name].dc = *current;
  }
  return out;
}

std::vector<Doubt> preflight(const Plan& p, const Surroundings& around, const bench::Levels& levels) {
  std::vector<Doubt> out;
  const auto vout = nominal_of(around);
  const auto current = highest_load(p, vout);
  for (const auto& pin : {p.source_pin, p.load_pin})
    if (std::find(around.terminals.begin(), around.terminals.end(), pin) == around.terminals.end())
      out.push_back({"input.missing", Severity::serious, pin.empty() ? std::string("A pin is not said.") : fmt::format("The device has no pin \"{}\".", pin), "Say which pin is fed and which is loaded.", {}, true});
  check_ratings(p, around, current, out);
  check_bench(p, around, vout, current, out);
  check_hookup(p.hookup, &levels, around.limits, out);
  return out;
}

}  // namespace heron::study::conversion
