#include "study/iv/preflight.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/iv/drive.h"
#include "study/iv/ramp.h"
#include "study/iv/words.h"
#include "study/preflight.h"

namespace heron::study::iv {
namespace {

constexpr double kLong = 60;  ///< s

/// The most that a source may come to, by itself or by what it is limited to.
struct Reach {
  double voltage = 0, current = 0;
};
Reach reach_of(const Source& s) {
  const double most = std::max(std::abs(furthest(s)), std::abs(s.rest));
  return s.force == bench::Force::voltage ? Reach{most, s.compliance} : Reach{s.compliance, most};
}

/// How far a source goes to one side, and the word that says so.
struct End {
  double value = 0;
  std::string word;
};
End ends_of(const Source& s, double sign) {
  End out;
  const auto put = [&](double value, const char* word) {
    if (value * sign > out.value * sign) out = {value, word};
  };
  put(s.rest, "rest");
  if (s.role == Role::constant) {
    put(s.value, "value");
  } else if (s.values.spacing == Spacing::listed) {
    for (const double v : list_of(s.values)) put(v, "");
  } else {
    put(s.values.stop, "stop");
    put(s.values.start, "start");
  }
  return out;
}

void check_ratings(const Source& s, const device::Ratings& ratings, std::vector<Doubt>& out) {
  const auto it = ratings.find(s.pin);
  if (it == ratings.end()) return;
  const auto reach = reach_of(s);
  /// @param word  that is to blame; empty: a list, which is the user's own
  const auto hold = [&](const std::optional<double>& rating, double value, const char* unit, const std::string& word,
                        bool forced) {
    if (!rating || std::abs(value) <= kNearRating * *rating) return;
    const bool above = std::abs(value) > *rating * (1 + 1e-9);
    const auto limit = format_setting(std::copysign(*rating, value), unit);
    out.push_back(rating_finding(above,
                   fmt::format("{} may see {}{}; its rating is {}.", s.pin, format_setting(value, unit),
                               forced ? "" : " by its compliance", limit),
                   above ? fmt::format("Bring the {} down to {}.", forced ? "sweep" : "compliance", limit)
                         : "Lower it if the device is not yet known.",
                   above && !word.empty() ? Edits{{"source." + s.name + "." + word, limit}} : Edits{}));
  };
  const bool by_voltage = s.force == bench::Force::voltage;
  const auto& r = it->second;
  std::optional<double> of_the_other;
  for (const double sign : {1.0, -1.0}) {
    const auto furthest_of = ends_of(s, sign);
    const bool goes_there = furthest_of.value * sign > 0;
    if (goes_there)
      hold(by_voltage ? r.voltage_towards(sign) : r.current_towards(sign), furthest_of.value, by_voltage ? "V" : "A",
           furthest_of.word, true);
    // What is limited takes the sign of what is forced; what is held at zero may take either.
    const bool held_at_zero = ends_of(s, 1).value == 0 && ends_of(s, -1).value == 0;
    const auto limit = by_voltage ? r.current_towards(sign) : r.voltage_towards(sign);
    if ((goes_there || held_at_zero) && limit) of_the_other = std::min(*limit, of_the_other.value_or(*limit));
  }
  hold(of_the_other, s.compliance, by_voltage ? "A" : "V", "compliance", false);
  // Both at once can only be where the compliance holds at the far end.
  if (it->second.power && reach.voltage * reach.current > *it->second.power && reach.voltage > 0)
    out.push_back(rating_finding(false,
                   fmt::format("{} could take {} at {} and {}; its rating is {}.", s.pin,
                               format_setting(rounded_to(reach.voltage * reach.current, 3), "W"),
                               format_setting(reach.voltage, "V"), format_setting(reach.current, "A"),
                               format_setting(*it->second.power, "W")),
                   "Lower the compliance or end the sweep before, unless the device keeps away from that corner."));
}

void check_time(const Plan& p, const bench::Limits& limits, std::vector<Doubt>& out) {
  if (const double seconds = sweep_time(p, limits); seconds > kLong)
    out.push_back({"sweep.long", Severity::caution,
                   fmt::format("{} points take about {} on a real bench.",
                               p.method == Method::waveform ? std::size_t(ramp_of(p).bins()) : steps_of(p).size(),
                               format_duration(seconds)),
                   p.method == Method::waveform ? "Take a shorter ramp or fewer sweeps."
                                                : "Take fewer points or a shorter aperture."});
}

std::vector<Doubt> preflight_ramps(const Plan& p, const bench::Limits& limits, const device::Ratings& ratings) {
  std::vector<Doubt> out;
  const double open_circuit = limits.highest_level_pp / 2;
  for (const auto& s : p.sources) {
    const double most = std::max(std::abs(furthest(s)), std::abs(s.rest));
    if (most > open_circuit)
      out.push_back({"source.limit", Severity::serious,
                     fmt::format("{}: a generator reaches {} open circuit; {} is asked.", s.name,
                                 format_setting(open_circuit, "V"), format_setting(most, "V")),
                     "Lower the ends of the sweep."});
    const auto rating = ratings.find(s.pin);
    if (rating == ratings.end()) continue;
    auto by_voltage = rating->second;
    by_voltage.current.reset();
    by_voltage.reverse_current.reset();
    by_voltage.power.reset();
    check_ratings(s, {{s.pin, by_voltage}}, out);
    // What flows is the device's affair; into a short it would be all that the generator gives.
    const double shorted = most / p.source_resistance;
    if (rating->second.current && shorted > *rating->second.current)
      out.push_back(
          rating_finding(false,
           fmt::format("{} could take {} out of {}; its rating is {}.", s.pin, format_quantity(shorted, "A", 3).plain(),
                       format_setting(p.source_resistance, "ohm"), format_setting(*rating->second.current, "A")),
           "Lower the ends of the sweep, unless the device keeps away from that."));
  }
  check_hookup(p.hookup, nullptr, limits, out);
  const auto ramp = ramp_of(p);
  const auto sampling = sampling_of(p, limits.of(p.hookup.digitiser).highest_sample_rate);
  constexpr double kFewest = 6;
  if (const double each = sampling.rate * ramp.leg / std::max(1, ramp.points); each < kFewest)
    out.push_back({"sampling.coarse", Severity::caution,
                   fmt::format("The inputs give {:.2g} samples for each of {} points.", each, ramp.points),
                   "Take fewer points or a slower ramp."});
  check_time(p, limits, out);
  return out;
}

}  // namespace

std::vector<Doubt> preflight(const Plan& p, const bench::Limits& limits, const device::Ratings& ratings) {
  if (p.method == Method::waveform) return preflight_ramps(p, limits, ratings);
  std::vector<Doubt> out;
  for (const auto& s : p.sources) {
    check_ratings(s, ratings, out);
    const auto reach = reach_of(s);
    if (reach.voltage > limits.source_measure_voltage || reach.current > limits.source_measure_current)
      out.push_back({"source.limit", Severity::serious,
                     fmt::format("{}: a source-measure channel reaches {} and {}; {} and {} are asked.", s.name,
                                 format_setting(limits.source_measure_voltage, "V"),
                                 format_setting(limits.source_measure_current, "A"), format_setting(reach.voltage, "V"),
                                 format_setting(reach.current, "A")),
                     "Lower the value or the compliance."});
    if (s.current_range && s.force == bench::Force::voltage && *s.current_range < s.compliance)
      out.push_back({"range.underused",
                     Severity::note,
                     fmt::format("{}: the range of {} ends below the compliance of {}; more will read as its end.",
                                 s.name, format_setting(*s.current_range, "A"), format_setting(s.compliance, "A")),
                     "Take a higher range or make it automatic.",
                     {{"source." + s.name + ".range", "automatic"}}});
  }
  if (int(p.sources.size()) > limits.source_measure_channels)
    out.push_back({"source.limit", Severity::serious,
                   fmt::format("{} sources are asked for; the bench has {} source-measure channels.", p.sources.size(),
                               limits.source_measure_channels),
                   "Leave one out."});
  const double periods = p.aperture / kMainsPeriod;
  if (p.aperture < kMainsPeriod && p.aperture > 1e-3)
    out.push_back({"aperture.mains",
                   Severity::note,
                   fmt::format("An aperture of {} holds no whole period of the mains: hum gets in.",
                               format_setting(p.aperture, "s")),
                   "Take 20 ms or a multiple.",
                   {{"aperture", "20 ms"}}});
  else if (p.aperture > kMainsPeriod && std::abs(periods - std::round(periods)) > 1e-3)
    out.push_back(
        {"aperture.mains",
         Severity::note,
         fmt::format("An aperture of {} is {:.4g} periods of the mains.", format_setting(p.aperture, "s"), periods),
         "Take a whole number of 20 ms.",
         {{"aperture", format_setting(std::round(periods) * kMainsPeriod, "s")}}});
  check_time(p, limits, out);
  return out;
}

}  // namespace heron::study::iv
