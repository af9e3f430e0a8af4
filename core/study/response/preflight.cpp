#include "study/response/preflight.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"

namespace heron::study::response {

namespace {

/// The word that brings the highest level down to this, V pk-pk.
Edits level_edit(const Plan& p, double pp) {
  if (!p.stepped()) return {{"noise_level", format_setting(pp / 2 / kCrest, "V") + " rms"}};
  if (p.level_shape == LevelShape::automatic) return {{"level_most", format_setting(pp, "V") + " pk-pk"}};
  return {{"level", format_setting(pp, "V") + " pk-pk"}};
}

/// A sensor whose own corner lies within the sweep: corrected for, but only as well as the corner is known.
void check_corners(const Plan& p, std::vector<Doubt>& out) {
  for (const auto& chain : p.hookup.chains) {
    const auto& s = chain.input.sensor;
    const auto sensing = bench::sensing_of(chain);
    const auto lost = [&](double f) { return -20 * std::log10(std::abs(bench::response_of(sensing, f))); };
    if (s.bandwidth > 0 && p.stop > 0.3 * s.bandwidth) {
      // Stops where the sensor takes less than half a decibel.
      const double slower = 0.3 * s.bandwidth;
      out.push_back({"bandwidth.limits_edge", p.stop > 3 * s.bandwidth ? Severity::serious : Severity::caution,
                     fmt::format("{}: the {} bandwidth of {} takes {:.1f} dB at {}; that is corrected for, but only as "
                                 "well as the bandwidth is known ({:.0f} %).",
                                 chain.name, format_setting(s.bandwidth, "Hz"), s.name, lost(p.stop),
                                 format_setting(p.stop, "Hz"), 100 * s.u_bandwidth),
                     slower > p.start
                         ? "Stop at " + format_setting(rounded_to(slower, 2), "Hz") + "."
                         : "Use a faster sensor.",
                     slower > p.start ? Edits{{"stop", format_setting(rounded_to(slower, 2), "Hz")}}
                                      : Edits{}});
    }
    if (s.low_corner > 0 && p.start < 3 * s.low_corner)
      out.push_back({"bandwidth.limits_edge",
                     p.start < 0.3 * s.low_corner ? Severity::serious : Severity::caution,
                     fmt::format("{}: {} passes nothing far below {}; at {} it takes {:.1f} dB.", chain.name, s.name,
                                 format_setting(s.low_corner, "Hz"), format_setting(p.start, "Hz"), lost(p.start)),
                     "Start at " + format_setting(3 * s.low_corner, "Hz") + ".",
                     {{"start", format_setting(3 * s.low_corner, "Hz")}}});
  }
}

/// An impedance is volts over amperes; anything else is a slip of the hookup.
void check_impedance(const Plan& p, std::vector<Doubt>& out) {
  const auto unit = [&](const std::string& name) { return p.hookup.unit_of(name).value_or(""); };
  const bool ohms = unit(p.response) == "V" && unit(p.stimulus) == "A";
  if (p.quantity == Quantity::impedance && !ohms)
    out.push_back({"wiring.units",
                   Severity::serious,
                   fmt::format("An impedance is a voltage over a current; here {} is in {} and {} in {}.", p.response,
                               unit(p.response), p.stimulus, unit(p.stimulus)),
                   "Sense the current through a shunt, or compute it over a known resistor, and put it below the "
                   "voltage.",
                   {}});
  if (p.quantity == Quantity::gain && ohms)
    out.push_back({"wiring.units",
                   Severity::note,
                   "A voltage over a current is an impedance.",
                   "Read it as impedance, for R, L, C and Q.",
                   {{"quantity", "impedance"}}});
}

/// A source-measure channel has its own limits, and its current monitor is of use only where it drives.
void check_source(const Plan& p, const bench::Limits& limits, const Levels* levels, std::vector<Doubt>& out) {
  for (const auto& chain : p.hookup.chains) {
    if (chain.input.sensor.kind != bench::SensorKind::monitor) continue;
    if (!p.compliance)
      out.push_back({"wiring.monitor",
                     Severity::serious,
                     fmt::format("{} is read by the current monitor of the source-measure channel, but the generator "
                                 "drives.",
                                 chain.name),
                     "Drive through the source-measure channel.",
                     {{"source", "source-measure"}}});
    else if (chain.input.pin != bench::kDriveLead)
      out.push_back({"wiring.monitor",
                     Severity::serious,
                     fmt::format("The current monitor reads the {}, not {}.", bench::kDriveLead, chain.input.pin),
                     fmt::format("Put {} on the {}.", chain.name, bench::kDriveLead),
                     {}});
  }
  if (!p.compliance) return;
  const double reach = highest_peak(p) + std::abs(p.offset);
  if (p.stop > limits.source_measure_frequency)
    out.push_back({"source.limit",
                   Severity::serious,
                   fmt::format("The source-measure channel follows a sine up to {}.",
                               format_setting(limits.source_measure_frequency, "Hz")),
                   fmt::format("Stop the sweep there, or drive by the generator."),
                   {{"stop", format_setting(limits.source_measure_frequency, "Hz")}}});
  if (reach > limits.source_measure_voltage || *p.compliance > limits.source_measure_current)
    out.push_back({"source.limit",
                   Severity::serious,
                   fmt::format("The source-measure channel reaches {} and {}.",
                               format_setting(limits.source_measure_voltage, "V"),
                               format_setting(limits.source_measure_current, "A")),
                   "Lower the level or the compliance.",
                   {}});
  if (!levels) return;
  for (const auto& chain : p.hookup.chains) {
    const auto level = levels->quantities.find(chain.name);
    if (chain.input.pin != bench::kDriveLead || level == levels->quantities.end()) continue;
    if (const double i = level->second.highest(); i > *p.compliance)
      out.push_back({"compliance.reached", Severity::serious,
                     fmt::format("{} would draw {} peak at {}; the compliance of {} would cut the sine.", p.drive_pin,
                                 format_setting(rounded_to(i, 2), "A"),
                                 format_setting(level->second.at_frequency, "Hz"), format_setting(*p.compliance, "A")),
                     "Lower the level, or raise the compliance if the device bears it.",
                     level_edit(p, 1.6 * highest_peak(p) * *p.compliance / i)});
  }
}

/// A sweep of minutes is told, with what takes the time and what would halve it.
void check_time(const Plan& p, const bench::Limits& limits, std::vector<Doubt>& out) {
  const double seconds = sweep_time(p, limits);
  if (seconds <= 60) return;
  if (!p.stepped()) {
    out.push_back(
        {"sweep.long",
         Severity::caution,
         fmt::format("Reading {} segments takes about {} on a real bench.", p.noise_averages, format_duration(seconds)),
         fmt::format("Average {} segments.", std::max(2, p.noise_averages / 4)),
         {{"noise_averages", fmt::format("{}", std::max(2, p.noise_averages / 4))}}});
    return;
  }
  Plan faster = p;
  faster.start = std::min(p.start * 4, p.stop / 2);
  out.push_back(
      {"sweep.long",
       Severity::caution,
       fmt::format("The sweep takes about {} on a real bench; {:.0f} % of it below {}.", format_duration(seconds),
                   100 * (1 - sweep_time(faster, limits) / seconds), format_setting(faster.start, "Hz")),
       fmt::format("Start at {}: {}.", format_setting(faster.start, "Hz"), format_duration(sweep_time(faster, limits))),
       {{"start", format_setting(faster.start, "Hz")}}});
}

}  // namespace

std::vector<Doubt> preflight(const Plan& p, const bench::Limits& limits, const device::Ratings& ratings,
                             const Levels* levels) {
  std::vector<Doubt> out;
  const double reach = highest_peak(p) + std::abs(p.offset);
  const auto volts = [](double v) { return format_setting(v, "V"); };
  const auto rating_of = ratings.find(p.drive_pin);
  // A tone goes both ways; the narrower side decides.
  const Level drive{.peak = highest_peak(p), .dc = p.offset};
  std::optional<double> rating;
  double towards = reach;
  for (const double sign : {1.0, -1.0}) {
    if (rating_of == ratings.end()) break;
    const auto limit = rating_of->second.voltage_towards(sign);
    const double high = sign > 0 ? drive.above_zero() : drive.below_zero();
    if (!limit || (rating && high / *limit <= towards / *rating)) continue;
    rating = limit;
    towards = high;
  }
  const double bears = rating ? std::max(0.0, *rating - (towards - highest_peak(p))) : 0;
  if (rating && towards > *rating) {
    const double bearable = 2 * bears;
    out.push_back(
        rating_finding(true,
         fmt::format("{} would see up to {} peak; its rating is {}.", p.drive_pin, volts(towards), volts(*rating)),
         p.stepped() ? fmt::format("Lower the level to {} pk-pk.", volts(bearable))
                     : fmt::format("Lower the level to {} rms.", volts(bearable / 2 / kCrest)),
         bearable > 0 ? level_edit(p, bearable) : Edits{}));
  } else if (rating && towards > 0.8 * *rating) {
    out.push_back(rating_finding(false,
                   fmt::format("{} will see {} peak, {:.0f} % of its rating of {}.", p.drive_pin, volts(towards),
                               100 * towards / *rating, volts(*rating)),
                   "Lower the level if the device is not yet known."));
  }
  if (levels) {
    auto others = ratings;
    if (const auto it = others.find(p.drive_pin); it != others.end()) {
      it->second.voltage.reset();
      it->second.reverse_voltage.reset();
    }
    check_ratings(others, *levels, sweep_time(p, limits), out);
  }
  check_source(p, limits, levels, out);
  if (!p.compliance &&
      (2 * reach > limits.highest_level_pp * (1 + 1e-9) || 2 * highest_peak(p) < limits.lowest_level_pp))
    out.push_back({"source.limit", Severity::serious,
                   fmt::format("The generator gives {} to {} pk-pk, offset included; the plan asks for {}.",
                               volts(limits.lowest_level_pp), volts(limits.highest_level_pp), volts(2 * reach)),
                   "Change the level or the offset.",
                   level_edit(p, std::clamp(2 * highest_peak(p), limits.lowest_level_pp,
                                            std::max(limits.lowest_level_pp,
                                                     limits.highest_level_pp - 2 * std::abs(p.offset))))});
  if (p.start < limits.lowest_frequency || p.stop > limits.highest_frequency)
    out.push_back({"source.limit", Severity::serious,
                   fmt::format("The generator reaches from {} to {}.", format_setting(limits.lowest_frequency, "Hz"),
                               format_setting(limits.highest_frequency, "Hz")),
                   "Move the ends of the sweep inside."});
  // Without a circuit at least what stands at the driven pin is known.
  Levels driven;
  for (const auto& chain : p.hookup.chains)
    if (chain.input.pin == p.drive_pin && !chain.input.sensor.senses_current())
      driven.quantities[chain.name] = {.peak = highest_peak(p), .dc = p.offset};
  check_hookup(p.hookup, levels ? levels : &driven, limits, out);
  check_corners(p, out);
  if (limits.highest_sample_rate < 4 * p.stop)
    out.push_back({"sampling.coarse",
                   limits.highest_sample_rate < 2.5 * p.stop ? Severity::serious : Severity::caution,
                   fmt::format("At {} the inputs take only {:.1f} samples a period.", format_setting(p.stop, "Hz"),
                               limits.highest_sample_rate / p.stop),
                   fmt::format("Stop the sweep at {}.", format_setting(limits.highest_sample_rate / 4, "Hz")),
                   {{"stop", format_setting(limits.highest_sample_rate / 4, "Hz")}}});
  if (p.stepped() && p.periods < 4)
    out.push_back({"periods.few",
                   Severity::caution,
                   fmt::format("Only {:.3g} periods are read at each point.", p.periods),
                   "Read 4 periods or more.",
                   {{"periods", "8 periods"}}});
  check_impedance(p, out);
  check_time(p, limits, out);
  return out;
}

}  // namespace heron::study::response
