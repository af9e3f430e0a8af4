#include "study/preflight.h"

#include <algorithm>
#include <cmath>

#include "base/percent.h"
#include "base/quantity.h"

namespace heron::study {
namespace {

std::string about(double v, std::string_view unit) { return format_setting(rounded_to(v, 2), unit); }

std::string edit_key(const bench::Chain& chain, std::string_view field) {
  return fmt::format("hookup.{}.{}", chain.name, field);
}

void check_range(const bench::Chain& chain, const bench::ChainSummary& summary, const Level& level,
                 const bench::Limits& limits, std::vector<Doubt>& findings) {
  if (!chain.input.range) {
    if (level.highest() > summary.full_scale)
      findings.push_back(
          {"input.clipped", Severity::serious,
           fmt::format("{} would reach {} peak; the highest range ends at {}.", chain.name,
                       about(level.highest(), summary.unit), format_setting(summary.full_scale, summary.unit)),
           "Use a sensor or attenuator with a larger factor, or lower the level."});
    return;
  }
  const double range = summary.full_scale,
               high = chain.input.coupling == bench::Coupling::ac ? level.peak : level.highest();
  // The range that fits with room for the safety factor, and the edit that chooses it.
  const double wanted = kLevelSafety * high / summary.per_volt;
  const auto fit = std::find_if(limits.ranges.begin(), limits.ranges.end(), [&](double r) { return r >= wanted; });
  const std::string choice = fit == limits.ranges.end() ? "automatic" : format_setting(*fit, "V");
  // Behind a sensor a range is named by what it is at the input; where it ends for the quantity is said beside it.
  const bool direct = summary.per_volt == 1 && summary.unit == "V";
  const std::string remedy = fit == limits.ranges.end() ? "Use automatic ranging."
                             : direct ? fmt::format("Use the {} range.", choice)
                                      : fmt::format("Use the {} range, to {}.", choice, format_setting(*fit * std::abs(summary.per_volt), summary.unit));
  const Edits edits = {{edit_key(chain, "range"), choice}};
  if (high > range)
    findings.push_back({"input.clipped", Severity::serious,
                        fmt::format("{} would reach {} peak; its range ends at {}.", chain.name,
                                    about(high, summary.unit), format_setting(range, summary.unit)),
                        remedy, edits});
  else if (!level.held && kLevelSafety * high > range)
    findings.push_back(
        {"input.clipped", Severity::caution,
         fmt::format("{} would reach {} peak, {:.0f} % of its range of {}; a device a little out of "
                     "tolerance clips.",
                     chain.name, about(high, summary.unit), 100 * high / range, format_setting(range, summary.unit)),
         remedy, edits});
  else if (high < 0.1 * range)
    findings.push_back({"range.underused", Severity::caution,
                        fmt::format("{} would reach {} peak, {} of its range of {}.", chain.name,
                                    about(high, summary.unit), in_percent(high / range), format_setting(range, summary.unit)),
                        remedy, edits});
}

}  // namespace

void check_hookup(const bench::Hookup& hookup, const Levels* levels, const bench::Limits& all,
                  std::vector<Doubt>& findings) {
  const auto& limits = all.of(hookup.digitiser);
  if (int(hookup.chains.size()) > limits.inputs)
    findings.push_back(
        {"input.missing", Severity::serious,
         fmt::format("{} quantities are to be sensed; the bench has {} inputs.", hookup.chains.size(), limits.inputs),
         "Take one out of the hookup."});
  for (const auto& chain : hookup.chains) {
    const auto summary = bench::summarise(chain, limits.input);
    const auto& in = chain.input;
    for (const auto& trouble : bench::chain_troubles(chain)) {
      const bool terminate = in.sensor.wants_ohms != in.ohms && in.sensor.kind != bench::SensorKind::direct;
      findings.push_back(
          {"termination.mismatch", Severity::serious, chain.name + ": " + trouble,
           terminate ? "Set the input to what the sensor wants." : "Choose another sensor.",
           terminate ? Edits{{edit_key(chain, "ohms"), in.sensor.wants_ohms < 1e3 ? "50 ohm" : "1 Mohm"}} : Edits{}});
    }
    if (in.sensor.reads_codes()) continue;
    if (in.range && std::find(limits.ranges.begin(), limits.ranges.end(), *in.range) == limits.ranges.end())
      findings.push_back(
          {"range.unknown",
           Severity::serious,
           fmt::format("{}: the inputs have no range of {}.", chain.name, format_setting(*in.range, "V")),
           "Use automatic ranging.",
           {{edit_key(chain, "range"), "automatic"}}});
    const auto found = levels ? levels->quantities.find(chain.name) : decltype(levels->quantities.find("")){};
    const Level* level = levels && found != levels->quantities.end() ? &found->second : nullptr;
    if (in.sensor.offset > 0 && !chain.zero) {
      const double offset = in.sensor.offset * summary.per_volt;
      // Where the level is known, an offset far below it is only worth a note.
      const bool matters = !level || offset > 0.02 * std::max(level->highest(), 1e-30);
      findings.push_back(on_hookup({"offset.uncorrected", matters ? Severity::caution : Severity::note,
                          fmt::format("{}: the zero of {} was not set; it may be off by {}{}.", chain.name,
                                      in.sensor.name, about(offset, summary.unit),
                                      level ? fmt::format(", {} of what is expected",
                                                          in_percent(offset / std::max(level->highest(), 1e-30)))
                                            : ""),
                          "Zero the sensor on the Hookup page."}));
    }
    // Both pins of a floating sensor stand somewhere above ground, whatever their difference is.
    const double bears = in.sensor.common_mode_rating > 0 ? in.sensor.common_mode_rating : in.sensor.rating;
    if (levels && bears > 0 &&
        (in.sensor.kind == bench::SensorKind::differential || in.sensor.kind == bench::SensorKind::isolated))
      for (const auto& pin : {in.pin, in.against})
        if (const auto at = levels->pins.find(pin); at != levels->pins.end() && at->second.highest() > bears)
          findings.push_back(rating_finding(true,
                              fmt::format("{}: {} stands up to {} above ground; {} bears {} there.", chain.name, pin,
                                          about(at->second.highest(), "V"), in.sensor.name, format_setting(bears, "V")),
                              "Use a sensor that bears more against ground."));
    if (!level) continue;
    check_range(chain, summary, *level, limits, findings);
    if (level->highest() > summary.harm)
      findings.push_back(
          rating_finding(true,
           fmt::format("{} would see {} peak; {} bears {}.", chain.name, about(level->highest(), summary.unit),
                       summary.harm_of, format_setting(summary.harm, summary.unit)),
           "Use a sensor with a higher rating, or lower the level."));
    if (in.ohms < 1e3 && in.sensor.kind == bench::SensorKind::direct && level->unloaded_peak > 0 &&
        level->peak < 0.95 * level->unloaded_peak)
      findings.push_back({"termination.mismatch",
                          Severity::caution,
                          fmt::format("{}: the 50-ohm input takes {} of what stands there into 1 Mohm.",
                                      chain.name, in_percent((1 - level->peak / level->unloaded_peak))),
                          "Use the 1-megohm input.",
                          {{edit_key(chain, "ohms"), "1 Mohm"}}});
  }
}

void check_ratings(const device::Ratings& ratings, const Levels& levels, double seconds, std::vector<Doubt>& findings) {
  const auto check = [&](const std::string& name, double high, const std::optional<double>& rating,
                         std::string_view unit, bool reversed = false) {
    if (!rating) return;
    const std::string_view way = reversed ? " the other way" : "";
    if (high > *rating)
      findings.push_back(rating_finding(true,
                          fmt::format("{} would see up to {} peak{}; its rating is {}.", name, about(high, unit), way,
                                      format_setting(*rating, unit)),
                          fmt::format("Lower the level to {:.0f} % of this.", std::floor(95 * *rating / high))));
    else if (high > 0.8 * *rating)
      findings.push_back(rating_finding(false,
                          fmt::format("{} will see {} peak{}, {:.0f} % of its rating of {}.", name, about(high, unit),
                                      way, 100 * high / *rating, format_setting(*rating, unit)),
                          "Lower the level if the device is not yet known."));
  };
  const auto check_ways = [&](const std::string& name, const Level& level, const std::optional<double>& rating,
                              const std::optional<double>& reverse, std::string_view unit) {
    check(name, reverse ? level.above_zero() : level.highest(), rating, unit);
    check(name, level.below_zero(), reverse, unit, true);
  };
  for (const auto& [name, rating] : ratings) {
    if (const auto pin = levels.pins.find(name); pin != levels.pins.end())
      check_ways(name, pin->second, rating.voltage, rating.reverse_voltage, "V");
    if (const auto branch = levels.branches.find(name); branch != levels.branches.end())
      check_ways(name, branch->second, rating.current, rating.reverse_current, "A");
    const auto pin = levels.pins.find(name), branch = levels.branches.find(name);
    if (rating.power && pin != levels.pins.end() && branch != levels.branches.end())
      check(name, pin->second.highest() * branch->second.highest(), rating.power, "W");
    if (rating.duration && seconds > *rating.duration)
      findings.push_back(rating_finding(true,
                          fmt::format("{} may be driven for {} at a time; this takes {}.", name,
                                      format_duration(*rating.duration), format_duration(seconds)),
                          "Read fewer points or shorter records."));
  }
}

std::optional<Error> refusal(const std::vector<Doubt>& findings, const std::set<std::string>& accepted) {
  for (const auto& f : findings)
    if (f.severity == Severity::serious && (f.binding || !accepted.contains(f.key)))
      return Error{Fault::bench, f.text + " " + f.remedy + (f.binding ? "" : " (" + f.key + ")")};
  return std::nullopt;
}

}  // namespace heron::study
