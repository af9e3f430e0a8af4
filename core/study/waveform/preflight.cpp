#include "study/waveform/preflight.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/waveform/doubts.h"
#include "study/waveform/settings.h"

namespace heron::study::waveform {
namespace {

double reach(const Plan& p, double sign) {
  if (p.drive == Drive::supply) return std::max(0.0, sign * p.supply_voltage);
  if (p.drive == Drive::surge) return std::max(0.0, sign * p.surge_peak);
  const auto [low, high] = p.reach();
  return std::max(0.0, std::max(sign * low, sign * high));
}

void check_drive(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  if (!p.feed_pin.empty())
    if (const auto fed = around.ratings.find(p.feed_pin); fed != around.ratings.end())
      if (const auto most = fed->second.voltage_towards(1); most && p.feed_voltage > *most)
        out.push_back(rating_finding(true,
                                     fmt::format("{} would be fed with {}; its rating is {}.", p.feed_pin,
                                                 format_setting(p.feed_voltage, "V"), format_setting(*most, "V")),
                                     "Lower the feed.", {{"feed_voltage", format_setting(*most, "V")}}));
  if (p.drive == Drive::nothing || p.drive == Drive::contact) return;
  const auto rating = around.ratings.find(p.drive_pin);
  if (rating == around.ratings.end()) return;
  for (const double sign : {1.0, -1.0}) {
    const auto most = rating->second.voltage_towards(sign);
    const double wanted = reach(p, sign);
    if (!most || wanted <= *most) continue;
    const std::string word = p.drive == Drive::supply  ? "supply_voltage"
                             : p.drive == Drive::surge ? "surge_peak"
                             : sign > 0                ? "high"
                                                       : "low";
    const bool listed = p.drive == Drive::generator && p.shape == Shape::points;
    out.push_back(rating_finding(true,
                                 fmt::format("{} would see {}; its rating is {}.", p.drive_pin,
                                             format_setting(sign * wanted, "V"), format_setting(sign * *most, "V")),
                                 "Lower the drive.", listed ? Edits{} : Edits{{word, format_setting(sign * *most, "V")}}));
  }
}

/// Which inputs would serve better.
void check_digitiser(const Plan& p, const bench::Limits& all, std::vector<Doubt>& out) {
  using bench::Digitiser;
  const bool fast = p.hookup.digitiser == Digitiser::fast;
  const auto& own = all.of(p.hookup.digitiser);
  const auto& other = all.of(fast ? Digitiser::accurate : Digitiser::fast);
  if (!(own.highest_sample_rate > 0)) return;
  const Edits change = {{"hookup.digitiser", fast ? "accurate" : "fast"}};
  const int quantities = int(p.hookup.chains.size());
  if (p.rate > own.highest_sample_rate * (1 + 1e-9)) {
    const bool serves = p.rate <= other.highest_sample_rate * (1 + 1e-9) && quantities <= other.inputs;
    out.push_back({"sampling.coarse", Severity::serious,
                   fmt::format("These inputs sample at {} at most.", format_setting(own.highest_sample_rate, "Hz")),
                   serves ? fmt::format("Take the fast inputs: {} bits instead of {}.", other.input.bits, own.input.bits)
                          : "Sample more slowly.",
                   serves ? change : Edits{{"rate", format_setting(own.highest_sample_rate, "Hz")}}});
  } else if (fast && p.rate <= other.highest_sample_rate && quantities <= other.inputs) {
    out.push_back({"digitiser.coarse", Severity::note,
                   fmt::format("The accurate inputs read at {} too, with {} bits instead of {}.", format_setting(p.rate, "Hz"),
                               other.input.bits, own.input.bits),
                   "Take the accurate inputs, unless their bandwidth is too small.", change});
  }
}

/// What waits for a watch to trip needs one that can.
void check_watches(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  if (p.keep != Keep::tripped) return;
  const auto settings = settings_from_text(around.settings);
  const auto can = [&](const Watch& watch) {
    return watch.quantity.empty() ? p.hookup.chains.size() + p.hookup.computed.size() == 1
                                  : p.hookup.unit_of(watch.quantity).has_value();
  };
  if (settings && std::any_of(settings->watches.begin(), settings->watches.end(), can)) return;
  out.push_back({"watch.missing", Severity::serious, "Only a record in which a watch trips is to be kept, and no watch looks at what is sensed.",
                 "Add a watch to how the study is read, such as watch.rail = v under 4.6 V for 10 us.",
                 {}});
}

void check_capture(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  if (p.hookup.chains.empty())
    out.push_back({"input.missing", Severity::serious, "No input senses anything.", "Add a quantity on the Hookup page.", {}, false,
                   Place::hookup});
  const auto& limits = around.limits.of(p.hookup.digitiser);
  const double fastest = limits.highest_sample_rate;
  check_digitiser(p, around.limits, out);
  // The drive's own edges, as far as the chain lets them through.
  const bool edges = p.drive == Drive::generator &&
                     (p.shape == Shape::pulse || p.shape == Shape::step || p.shape == Shape::staircase);
  if (edges && !p.hookup.chains.empty()) {
    double widest = 0;
    for (const auto& chain : p.hookup.chains)
      widest = std::max(widest, bench::summarise(chain, limits.input).bandwidth);
    const double shown = std::hypot(0.8 * p.edge, widest > 0 ? kEdgeOfBandwidth / widest : 0);
    if (shown * p.rate < kCoarse) {
      const double wanted = std::min(fastest > 0 ? fastest : kCoarse / shown, kCoarse / shown);
      out.push_back({"sampling.coarse", Severity::note,
                     fmt::format("The drive's edge of {} has {:.2g} samples at {}.", format_quantity(shown, "s", 2).plain(),
                                 shown * p.rate, format_setting(p.rate, "Hz")),
                     "Sample faster where the edge itself is wanted.",
                     wanted * p.length <= double(kMostSamples) ? Edits{{"rate", format_setting(wanted, "Hz")}} : Edits{}});
    }
  }
  if (p.shape == Shape::sine && p.drive == Drive::generator && p.rate * p.period < 8)
    out.push_back({"sampling.coarse", Severity::caution,
                   fmt::format("A period of the drive has {:.2g} samples.", p.rate * p.period), "Sample faster.",
                   {{"rate", format_setting(20 / p.period, "Hz")}}});
  // What happens once must find its range set.
  for (const auto& chain : p.hookup.chains)
    if (chain.input.looks_for_range() && !p.may_rehearse())
      out.push_back({"autorange.single_shot", Severity::serious,
                     fmt::format("{} looks for its range by itself; what happens once is over before it has found it.",
                                 chain.name),
                     "Fix the range of " + chain.name + ".", {}, true, Place::hookup});
  if (p.waits() && p.patience < p.length)
    out.push_back({"trigger.missing", Severity::note,
                   fmt::format("It waits {}, less than a record is long.", format_setting(p.patience, "s")),
                   "Wait longer.", {{"patience", format_setting(4 * p.length, "s")}}});
}

/// A level that the quantity never reaches is waited for in vain.
void check_level(const Plan& p, const bench::Levels* levels, std::vector<Doubt>& out) {
  if (!p.waits() || !levels) return;
  const auto it = levels->quantities.find(p.quantity);
  const auto* chain = p.hookup.find(p.quantity);
  if (it == levels->quantities.end() || !chain) return;
  const auto unit = bench::sensing_of(*chain).unit;
  const double low = it->second.dc - it->second.peak, high = it->second.dc + it->second.peak, margin = 0.25 * (high - low);
  if (p.level > low - margin && p.level < high + margin) return;
  out.push_back({"trigger.missing", Severity::caution,
                 fmt::format("{} is expected between {} and {}; it will not pass {}.", p.quantity,
                             format_quantity(low, unit, 3).plain(), format_quantity(high, unit, 3).plain(),
                             format_setting(p.level, unit)),
                 "Wait for a level between.", {{"level", format_quantity((low + high) / 2, unit, 2).plain()}}});
}

}  // namespace

namespace {

bench::SurgeSetup surge_of(const Plan& p) {
  return {.pin = p.drive_pin, .peak = p.surge_peak, .front = p.surge_front, .tail = p.surge_tail, .source_resistance = p.surge_resistance};
}

/// A device that breaks down is a short: what carries the surge then must bear it too.
void check_shorted(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  if (p.drive != Drive::surge || !around.circuit) return;
  const auto& limits = around.limits.of(p.hookup.digitiser);
  const double most = std::abs(p.surge_peak) / p.surge_resistance;
  for (const auto& chain : p.hookup.chains) {
    const auto summary = bench::summarise(chain, limits.input);
    if (!chain.input.sensor.senses_current() || chain.input.pin != bench::kDriveLead || most <= summary.harm) continue;
    out.push_back(rating_finding(true,
                                 fmt::format("{} would carry {} if the device broke down; {} bears {}.", chain.name,
                                             format_quantity(most, summary.unit, 3).plain(), summary.harm_of,
                                             format_setting(summary.harm, summary.unit)),
                                 "Use a sensor with a higher rating, or more source resistance."));
  }
}

}  // namespace

std::optional<bench::Levels> predict(const Plan& p, const Surroundings& around) {
  if (!around.circuit) return std::nullopt;
  if (p.drive == Drive::surge) {
    const auto peaks = around.circuit->surge_peaks(surge_of(p), p.hookup.chains);
    if (!peaks) return std::nullopt;
    bench::Levels out;
    for (const auto& [name, peak] : *peaks) out.quantities[name] = {.peak = peak};
    return out;
  }
  if (p.drive != Drive::generator) return std::nullopt;
  const auto [low, high] = p.reach();
  if (!(high > low)) return std::nullopt;
  const double slowest = std::max(around.limits.lowest_frequency, 1 / std::max(p.period, p.length));
  auto levels = around.circuit->levels({.pin = p.drive_pin,
                                        .frequency = slowest,
                                        .peak_to_peak = high - low,
                                        .offset = (high + low) / 2,
                                        .source_resistance = p.source_resistance},
                                       p.hookup.chains, {slowest, std::max(slowest, p.repeats() ? 1 / p.period : slowest)});
  return levels ? std::optional(std::move(*levels)) : std::nullopt;
}

std::vector<Doubt> preflight(const Plan& p, const Surroundings& around, const bench::Levels* levels) {
  std::vector<Doubt> out;
  check_drive(p, around, out);
  check_capture(p, around, out);
  check_level(p, levels, out);
  check_watches(p, around, out);
  check_shorted(p, around, out);
  check_hookup(p.hookup, levels, around.limits, out);
  if (levels) check_ratings(around.ratings, *levels, p.length, out);
  return out;
}

}  // namespace heron::study::waveform
