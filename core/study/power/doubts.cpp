#include "study/power/doubts.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/percent.h"
#include "base/quantity.h"
#include "study/clipping.h"
#include "study/power/check.h"
#include "study/power/steady.h"

namespace heron::study::power {
namespace {

constexpr double kUnderused = 0.1;      ///< of the range
constexpr double kZero = 0.01;          ///< u of a zero, of the rms
constexpr double kUnsteady = 1e-3;      ///< relative, of the frequency over the record
constexpr double kDroop = 0.01;         ///< that a sensor without DC takes of the fundamental
constexpr int kFewCycles = 4;
constexpr double kDead = 0.01;          ///< of the other phases
constexpr double kUsual[] = {50, 60, 400, 16.7};  ///< Hz, of mains
constexpr double kFarOff = 0.05;

std::string shown(double value, std::string_view unit, int digits = 3) { return format_quantity(value, unit, digits).plain(); }

std::vector<Placed> all_of(const Wiring& wiring) {
  auto out = wiring.voltages;
  out.insert(out.end(), wiring.currents.begin(), wiring.currents.end());
  return out;
}

Result<void> check_inputs(const PowerRecord& record, std::vector<Doubt>& out) {
  for (const auto& one : all_of(record.wiring)) {
    const auto& trace = *record.record->traces[one.trace];
    const auto& errors = record.record->errors[one.trace];
    const auto ends = at_ends(trace, 0, trace.size());
    if (!ends) return tl::unexpected(ends.error());
    // A sleeping current rests on its lowest value by itself: only a known range tells that it is an end.
    if (const auto end = clipped(*ends, errors, trace.size()); end && (!record.profile || errors.highest))
      out.push_back({"input.clipped", Severity::serious,
                     fmt::format("{} stands at the end of what can be read, {}, for {} samples: what lies beyond is lost.", trace.name,
                                 shown(end->at, trace.unit), end->samples),
                     "Take the next range up."});
    const double peak = std::max(std::abs(ends->low), std::abs(ends->high));
    if (errors.range && peak < kUnderused * *errors.range)
      out.push_back({"range.underused", Severity::note,
                     fmt::format("{} uses {} of its range of {}{}.", trace.name, in_percent(peak / *errors.range), shown(*errors.range, trace.unit),
                                 errors.quantum > 0 ? ": one count is " + shown(errors.quantum, trace.unit, 2) : ""),
                     "Take the range that fits."});
    if (errors.u_offset > kZero * peak && peak > 0)
      out.push_back(on_hookup({"offset.uncorrected", Severity::caution,
                               fmt::format("The zero of {} is known to {}, which is {} of its largest value: what stands still in it is not told.", trace.name,
                                           shown(errors.u_offset, trace.unit, 2), in_percent(errors.u_offset / peak)),
                               "Zero the sensor with nothing in it."}));
    if (errors.low_corner > 0 && (record.profile || !record.measured || record.method == Method::switch_on))
      out.push_back({"sensor.no_dc", Severity::serious,
                     fmt::format("The sensor of {} gives nothing below {}: what does not alternate is lost.", trace.name, shown(errors.low_corner, "Hz")),
                     "Use a shunt or a clamp that reaches down to DC."});
  }
  return {};
}

void check_cycles(const PowerRecord& record, const Settings& settings, std::vector<Doubt>& out) {
  const auto& m = *record.measured;
  const auto& s = m.statistics;
  if (s.cycles < kFewCycles)
    out.push_back({"periods.few", Severity::caution, fmt::format("The record holds {} whole cycles: means over so few say little of how steady they are.", s.cycles),
                   "Take a longer record.", {{"cycles", "10"}}});
  if (const auto unlike = unlike_repeats(*record.record, record.wiring, m); !unlike.empty()) {
    const auto& current = record.record->traces[record.wiring.currents.front().trace]->name;
    out.push_back({.key = "frequency.unlike", .text = unlike + ".", .remedy = fmt::format("Set cycles_by = {}.", current), .settings = {{"cycles_by", current}}});
  }
  if (std::abs(m.drift) > kUnsteady && record.method != Method::switch_on)
    out.push_back({"frequency.unsteady", Severity::caution, fmt::format("The frequency moves by {} from the first half of the record to the second.", in_percent(m.drift)),
                   "Take a shorter record, or wait until it is steady."});
  if (settings.limits != LimitClass::none && s.orders() < kHighest)
    out.push_back({"sampling.coarse", Severity::caution, fmt::format("Half the sample rate lies at harmonic {}: the {} above are not read.", s.orders(), kHighest - s.orders()),
                   "Sample faster.", {{"rate", format_setting(100 * s.frequency, "Hz")}}});
  if (settings.limits != LimitClass::none) {
    const bool near = std::any_of(std::begin(kUsual), std::end(kUsual), [&](double f) { return std::abs(s.frequency / f - 1) < kFarOff; });
    if (!near) out.push_back({"frequency.unusual", Severity::note, fmt::format("The fundamental is {}, which is none of mains: the class's limits are made for those.", shown(s.frequency, "Hz", 4)), "Check what the fundamental is."});
  }
  for (const auto& one : all_of(record.wiring)) {
    const auto& e = record.record->errors[one.trace];
    const double lost = 1 - 1 / std::hypot(1, e.low_corner / s.frequency);
    if (lost > kDroop)
      out.push_back({"sensor.no_dc", Severity::note,
                     fmt::format("The sensor of {} has a corner at {}: it takes {} of the fundamental and turns it by {:.2g} deg, which is put right as well as the corner is known.",
                                 record.record->traces[one.trace]->name, shown(e.low_corner, "Hz"), in_percent(lost), std::atan(e.low_corner / s.frequency) * 180 / std::numbers::pi),
                     "Use a shunt or a clamp that reaches down to DC for what stands still."});
  }
}

void check_phases(const PowerRecord& record, const Settings& settings, const Reading& reading, std::vector<Doubt>& out) {
  // Angles at the switching's frequency are not those of the phases.
  if (record.measured->current_repeats > 0) return;
  const auto& s = record.measured->statistics;
  const bool three = record.wiring.phases() == 3;
  for (const bool voltage : {true, false}) {
    if (!three || !(voltage ? s.has_voltage : s.has_current)) continue;
    double largest = 0;
    for (std::size_t p = 0; p < 3; ++p) largest = std::max(largest, std::abs(s.phasor[voltage ? s.voltage(p) : s.current(p)].front()));
    std::vector<std::string> dead;
    for (std::size_t p = 0; p < 3; ++p)
      if (std::abs(s.phasor[voltage ? s.voltage(p) : s.current(p)].front()) < kDead * largest)
        dead.push_back(record.record->traces[(voltage ? record.wiring.voltages : record.wiring.currents)[p].trace]->name);
    if (!dead.empty())
      out.push_back(on_hookup({"phase.dead", Severity::serious,
                               fmt::format("{} {} nothing at {}, where {}.", fmt::join(dead, " and "), dead.size() == 1 ? "shows" : "show", shown(s.frequency, "Hz"), dead.size() == 1 ? "the other phases do" : "the third phase does"),
                               "Check lead, fuse and sensor."}));
  }
  if (!s.has_voltage || !s.has_current) return;
  if (!settings.regenerating)
    for (std::size_t p = 0; p < s.phases; ++p) {
      const auto key = three ? std::string("power.active.") + kPhases[p] : std::string("power.active");
      const auto* power = reading.find(key);
      if (!power || power->value >= -3 * power->u.value_or(0)) continue;
      out.push_back(on_hookup({"wiring.sign", Severity::serious, fmt::format("{} is {}: power comes out of the load.", power->label, shown(power->value, "W")),
                               "Turn the current sensor round, or set regenerating = on if it is meant."}));
      break;
    }
  if (three) {
    const auto phases = by_phase(s);
    const auto turns = [&](bool voltage) {
      const auto c = components(phases.phasor[voltage ? 0 : 3].front(), phases.phasor[voltage ? 1 : 4].front(), phases.phasor[voltage ? 2 : 5].front());
      return std::abs(c.positive) >= std::abs(c.negative);
    };
    const bool v = turns(true), i = turns(false);
    if (v != i)
      out.push_back(on_hookup({"wiring.sequence", Severity::serious, fmt::format("The voltages turn {}, the currents {}: two phases of one of them are exchanged.", v ? "abc" : "acb", i ? "abc" : "acb"),
                               "Exchange two of them; the wiring lens says which."}));
    else if (settings.sequence && v != (*settings.sequence == Sequence::abc))
      out.push_back(on_hookup({"wiring.sequence", Severity::serious, fmt::format("The phases turn {}, {} was expected.", v ? "abc" : "acb", v ? "acb" : "abc"), "Exchange two phases, or set sequence."}));
  }
  const auto check = check_wiring(*record.record, record.wiring, *record.measured, settings);
  if (check.explanations.empty()) return;
  const auto& best = check.explanations.front();
  const auto wires = wires_of(*record.record, record.wiring, best);
  std::string how;
  for (const auto& [key, text] : wires) how += (how.empty() ? "" : ", ") + key + " = " + text;
  // What explains the others comes before them.
  out.insert(out.begin(), {.key = "wiring.suspected", .severity = Severity::serious, .text = fmt::format("The channels are explained if {}.", best.said),
                           .remedy = fmt::format("Check the leads, or set {}; raw data stay as they are.", how), .settings = wires});
}

/// Two channels whose delays are not known well enough for the angle between them.
void check_skew(const PowerRecord& record, const Reading& reading, const Settings& settings, std::vector<Doubt>& out) {
  const auto& m = *record.measured;
  const bool three = record.wiring.phases() == 3;
  for (std::size_t p = 0; p < m.statistics.phases && m.statistics.has_voltage && m.statistics.has_current; ++p) {
    const auto* power = reading.find(three ? std::string("power.active.") + kPhases[p] : std::string("power.active"));
    const auto* reactive = reading.find(three ? std::string("power.reactive.") + kPhases[p] : std::string("power.reactive"));
    if (!power || !reactive) continue;
    const double late = std::hypot(m.errors[m.statistics.voltage(p)].u_delay, m.errors[m.statistics.current(p)].u_delay);
    const double turned = 2 * std::numbers::pi * m.statistics.frequency * late, by = std::abs(reactive->value) * turned;
    if (!(by > settings.u_limit * std::abs(power->value))) continue;
    out.push_back(on_hookup({"skew.suspected", Severity::caution,
                             fmt::format("How late voltage and current are against each other is known to {}, which is {:.2g} deg and moves {} by {}.", shown(late, "s", 2),
                                         turned * 180 / std::numbers::pi, power->label, in_percent(by / std::abs(power->value))),
                             "Lay both inputs on one edge and put their difference right on the Hookup page."}));
    return;
  }
}

void check_known(const Reading& reading, const Settings& settings, const std::vector<std::string>& asked, std::vector<Doubt>& out) {
  std::string names;
  for (const auto& f : reading.figures) {
    if (!f.u || f.unit == "deg" || std::find(asked.begin(), asked.end(), f.key) == asked.end()) continue;
    if (*f.u > settings.u_limit * std::abs(f.value)) names += (names.empty() ? "" : ", ") + f.label;
  }
  if (!names.empty())
    out.push_back({"noise.limited", Severity::caution, fmt::format("These figures are known to no better than {}: {}.", in_percent(settings.u_limit), names), "Take a range or a sensor that fits, or a longer record."});
}

}  // namespace

Result<std::vector<Doubt>> find_doubts(const PowerRecord& record, const Reading& reading, const Settings& settings, const std::vector<std::string>& asked) {
  std::vector<Doubt> out;
  if (auto ok = check_inputs(record, out); !ok) return tl::unexpected(ok.error());
  if (record.cut)
    out.push_back({"record.long", Severity::note, fmt::format("The record has {} samples; {} of them are read.", record.record->traces.front()->size(), kMostSamples),
                   "Set from and to for another part of it."});
  if (record.measured) {
    check_cycles(record, settings, out);
    check_phases(record, settings, reading, out);
    check_skew(record, reading, settings, out);
  }
  check_known(reading, settings, asked, out);
  return out;
}

}  // namespace heron::study::power
