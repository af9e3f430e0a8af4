#include "study/response/preflight.h"

#include <algorithm>
#include <cmath>

namespace heron::study::response {

std::vector<Doubt> preflight(const Plan& p, const bench::Limits& limits, std::optional<double> rating) {
  std::vector<Doubt> out;
  const double reach = p.level_pp / 2 + std::abs(p.offset);
  const auto volts = [](double v) { return format_setting(v, "V"); };
  if (rating && reach > *rating)
    out.push_back(
        {"rating.near", Severity::serious,
         fmt::format("{} would see up to {} peak; its rating is {}.", p.drive_pin, volts(reach), volts(*rating)),
         fmt::format("Lower the level to {} pk-pk.", volts(2 * std::max(0.0, *rating - std::abs(p.offset))))});
  else if (rating && reach > 0.8 * *rating)
    out.push_back({"rating.near", Severity::caution,
                   fmt::format("{} will see {} peak, {:.0f} % of its rating of {}.", p.drive_pin, volts(reach),
                               100 * reach / *rating, volts(*rating)),
                   "Lower the level if the device is not yet known."});
  if (2 * reach > limits.highest_level_pp * (1 + 1e-9) || p.level_pp < limits.lowest_level_pp)
    out.push_back({"source.limit", Severity::serious,
                   fmt::format("The generator gives {} to {} pk-pk, offset included; the plan asks for {}.",
                               volts(limits.lowest_level_pp), volts(limits.highest_level_pp), volts(2 * reach)),
                   "Change the level or the offset."});
  if (p.start < limits.lowest_frequency || p.stop > limits.highest_frequency)
    out.push_back({"source.limit", Severity::serious,
                   fmt::format("The generator reaches from {} to {}.", format_setting(limits.lowest_frequency, "Hz"),
                               format_setting(limits.highest_frequency, "Hz")),
                   "Move the ends of the sweep inside."});
  for (const auto* range : {&p.stimulus_range, &p.response_range})
    if (*range && std::find(limits.ranges.begin(), limits.ranges.end(), **range) == limits.ranges.end())
      out.push_back({"range.unknown", Severity::serious, fmt::format("The inputs have no range of {}.", volts(**range)),
                     "Choose one of the ranges offered, or automatic."});
  if (p.stimulus_range && p.stimulus_pin == p.drive_pin) {
    if (reach > *p.stimulus_range)
      out.push_back({"input.clipped", Severity::serious,
                     fmt::format("The stimulus reaches {} peak; its input's range ends at {}.", volts(reach),
                                 volts(*p.stimulus_range)),
                     "Use a higher range or automatic."});
    else if (reach < 0.1 * *p.stimulus_range)
      out.push_back({"range.underused", Severity::caution,
                     fmt::format("The stimulus reaches {} peak, {:.1f} % of its input's range of {}.", volts(reach),
                                 100 * reach / *p.stimulus_range, volts(*p.stimulus_range)),
                     "Use a lower range or automatic."});
  }
  if (limits.highest_sample_rate < 4 * p.stop)
    out.push_back({"sampling.coarse", limits.highest_sample_rate < 2.5 * p.stop ? Severity::serious : Severity::caution,
                   fmt::format("At {} the inputs take only {:.1f} samples a period.", format_setting(p.stop, "Hz"),
                               limits.highest_sample_rate / p.stop),
                   fmt::format("Stop the sweep at {}.", format_setting(limits.highest_sample_rate / 4, "Hz"))});
  if (p.periods < 4)
    out.push_back({"periods.few", Severity::caution,
                   fmt::format("Only {:.3g} periods are read at each point.", p.periods), "Read 4 periods or more."});
  if (const double seconds = sweep_time(p, limits); seconds > 60)
    out.push_back({"sweep.long", Severity::note,
                   fmt::format("The sweep takes about {} on a real bench.", format_duration(seconds)),
                   "Start higher, or read fewer periods at the low end."});
  return out;
}

std::optional<Error> refusal(const std::vector<Doubt>& findings) {
  for (const auto& f : findings)
    if (f.severity == Severity::serious) return Error{Fault::bench, f.text + " " + f.remedy};
  return std::nullopt;
}

}  // namespace heron::study::response
