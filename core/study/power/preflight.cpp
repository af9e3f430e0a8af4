#include "study/power/preflight.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "study/power/wiring.h"

namespace heron::study::power {
namespace {

/// The highest voltage that a pin is fed with.
double peak_of(const Plan& p) {
  if (p.feed == Feed::supply) return p.supply_voltage;
  if (p.feed == Feed::inverter) return p.bus / 2;
  return p.voltage * std::numbers::sqrt2 * (1 + p.third + p.fifth);
}

std::vector<std::string> fed_pins(const Plan& p) {
  if (p.feed == Feed::own) return {};
  if (p.three()) return {p.pin, p.pin_b, p.pin_c};
  return {p.pin};
}

/// What is known of the voltages beforehand: those at the pins that are fed.
Levels fed_levels(const Plan& p) {
  Levels out;
  const double peak = peak_of(p);
  const auto pins = fed_pins(p);
  for (const auto& chain : p.hookup.chains) {
    // Of what stands still an input that is coupled by AC shows what nobody knows.
    const bool shows = p.alternates() || chain.input.coupling == bench::Coupling::dc;
    if (shows && !chain.input.sensor.senses_current() && chain.input.against.empty() && std::find(pins.begin(), pins.end(), chain.input.pin) != pins.end())
      out.quantities[chain.name] = p.alternates() ? Level{.peak = peak, .held = true} : Level{.dc = peak, .held = true};
  }
  return out;
}

void check_feed(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  const double peak = peak_of(p);
  for (const auto& pin : fed_pins(p)) {
    const auto rating = around.ratings.find(pin);
    if (rating == around.ratings.end()) continue;
    for (const double sign : {1.0, -1.0}) {
      if (sign < 0 && !p.alternates()) continue;
      const auto most = rating->second.voltage_towards(sign);
      if (!most || peak <= *most * (1 + 1e-9)) continue;
      const auto edit = p.feed == Feed::supply ? Edits{{"supply_voltage", format_setting(*most, "V")}}
                        : p.feed == Feed::inverter ? Edits{{"bus", format_setting(rounded_to(0.999 * 2 * *most, 3), "V")}}
                                                   : Edits{{"voltage", format_setting(rounded_to(0.999 * *most / peak * p.voltage, 3), "V")}};
      out.push_back(rating_finding(true, fmt::format("{} would see {}; its rating is {}.", pin, format_quantity(sign * peak, "V", 3).plain(), format_setting(sign * *most, "V")),
                                   "Lower the voltage of the feed.", edit));
      break;
    }
  }
  if (p.feed == Feed::inverter) {
    if (around.limits.inverter_bus > 0 && p.bus > around.limits.inverter_bus)
      out.push_back({"source.limit", Severity::serious, fmt::format("The inverter's bus reaches {}.", format_setting(around.limits.inverter_bus, "V")), "Lower the bus.",
                     {{"bus", format_setting(around.limits.inverter_bus, "V")}}});
    // A little less than what it just gives, so that no edge falls on another.
    if (const double most = p.bus / 2 / std::numbers::sqrt2; p.voltage > most)
      out.push_back({"source.limit", Severity::serious, fmt::format("Off a bus of {} an inverter gives {} rms and no more.", format_setting(p.bus, "V"), format_quantity(most, "V", 3).plain()), "Lower the voltage.",
                     {{"voltage", format_setting(rounded_to(0.95 * most, 3), "V")}}});
    constexpr double kPerPulse = 8;
    if (p.rate < kPerPulse * p.carrier)
      out.push_back({"sampling.coarse", Severity::caution,
                     fmt::format("A period of the switching at {} has {:.1f} samples: what it folds to lies among the harmonics.", format_setting(p.carrier, "Hz"), p.rate / p.carrier),
                     "Sample faster.", {{"rate", format_setting(std::min(16 * p.carrier, around.limits.of(p.hookup.digitiser).highest_sample_rate > 0 ? around.limits.of(p.hookup.digitiser).highest_sample_rate : 16 * p.carrier), "Hz")}}});
  } else if (p.alternates() && around.limits.mains_voltage > 0 && p.voltage > around.limits.mains_voltage)
    out.push_back({"source.limit", Severity::serious, fmt::format("The mains source reaches {} rms.", format_setting(around.limits.mains_voltage, "V")), "Lower the voltage.",
                   {{"voltage", format_setting(around.limits.mains_voltage, "V")}}});
}

void check_inputs(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  const auto& limits = around.limits.of(p.hookup.digitiser);
  const auto settings = settings_from_text(around.settings);
  if (limits.highest_sample_rate > 0 && p.rate > limits.highest_sample_rate)
    out.push_back({"sampling.coarse", Severity::serious, fmt::format("These inputs sample at {} at most.", format_setting(limits.highest_sample_rate, "Hz")), "Sample more slowly.",
                   {{"rate", format_setting(limits.highest_sample_rate, "Hz")}}});
  if (p.method == Method::cycles && settings && settings->limits != LimitClass::none && p.rate < 2.5 * 40 * p.frequency)
    out.push_back({"sampling.coarse", Severity::caution, fmt::format("Harmonic 40 of {} lies at {}; half the sample rate is {}.", format_setting(p.frequency, "Hz"), format_setting(40 * p.frequency, "Hz"),
                                                                     format_setting(p.rate / 2, "Hz")),
                   "Sample faster.", {{"rate", format_setting(100 * p.frequency, "Hz")}}});
  for (const auto& chain : p.hookup.chains) {
    if (p.method != Method::cycles && chain.input.looks_for_range())
      out.push_back({"autorange.single_shot", p.happens_once() ? Severity::serious : Severity::caution,
                     fmt::format("{} looks for its range by itself; {} before it has found it.", chain.name, p.happens_once() ? "what happens once is over" : "what comes late may lie beyond"),
                     "Fix the range of " + chain.name + ".", {{"hookup." + chain.name + ".range", fmt::format("{} V", limits.ranges.empty() ? 50.0 : limits.ranges.back())}}, false, Place::hookup});
    if (p.method != Method::cycles && chain.input.sensor.low_corner > 0)
      out.push_back(on_hookup({"sensor.no_dc", Severity::caution, fmt::format("{} reads {} through a sensor that gives nothing below {}.", chain.name, p.method == Method::switch_on ? "a decay" : "what stands still", format_setting(chain.input.sensor.low_corner, "Hz")),
                               "Use a shunt or a clamp that reaches down to DC."}));
  }
  if (p.happens_once() && p.repeat != Repeat::once)
    out.push_back({"averaging.peak", Severity::caution, "A switch-on is taken again and again: each begins with what the last left warm and charged.", "Take it once.", {{"repeat", "once"}}});
  if (p.method == Method::cycles && p.cycles < 4)
    out.push_back({"periods.few", Severity::note, fmt::format("A record holds {} {}.", p.cycles, p.cycles == 1 ? "cycle" : "cycles"), "Read ten.", {{"cycles", "10"}}});
  if (p.method == Method::recording && settings && settings->watches.empty())
    out.push_back({"watch.missing", Severity::note, "No watch looks at the recording: nothing raw will be kept, and nothing noticed.", "Add one to how the study is read, such as watch.rail = v under 4.6 V for 10 us."});
}

}  // namespace

std::vector<Doubt> preflight(const Plan& p, const Surroundings& around) {
  std::vector<Doubt> out;
  check_feed(p, around, out);
  check_inputs(p, around, out);
  const auto levels = fed_levels(p);
  check_hookup(p.hookup, &levels, around.limits, out);
  return out;
}

}  // namespace heron::study::power
