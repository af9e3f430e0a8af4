#include "study/spectrum/plan.h"

#include <cmath>

#include "base/quantity.h"
#include "study/spectrum/words.h"

namespace heron::study::spectrum {

std::vector<Plan::Step> Plan::steps() const {
  if (drive == Drive::nothing || along == Along::nothing) return {{level, frequency}};
  std::vector<Step> out;
  const double from = along == Along::level ? level : frequency;
  for (int k = 0; k < points; ++k) {
    const double at = from * std::pow(end / from, points > 1 ? double(k) / (points - 1) : 0.0);
    out.push_back(along == Along::level ? Step{at, frequency} : Step{level, at});
  }
  return out;
}

double Plan::seconds() const {
  return double(steps().size()) * (settle_time + records * length()) + (feed_pin.empty() ? 0 : feed_time);
}

Result<void> check(const Plan& p) {
  if (p.hookup.chains.empty()) return fail(Fault::input, "No input senses anything: connect one on the Hookup page.");
  const double half = p.rate / 2;
  if (p.drive == Drive::nothing) return {};
  if (p.drive == Drive::two_tones && p.frequency == p.second_frequency)
    return fail(Fault::input, "Two tones of one frequency are one tone.");
  for (const auto& step : p.steps()) {
    if (!(step.frequency < half))
      return fail(Fault::input, "{} lies beyond half the sample rate, {}. Sample faster.", format_setting(step.frequency, "Hz"), format_setting(half, "Hz"));
    if (!(step.frequency * p.length() >= 2))
      return fail(Fault::input, "A record of {} holds fewer than two cycles of {}. Take more samples, or sample more slowly.",
                  format_setting(p.length(), "s"), format_setting(step.frequency, "Hz"));
  }
  if (p.wanted && (p.drive != Drive::sine || p.along == Along::level))
    return fail(Fault::input, "A level in dBFS is set for one sine at a time; give volts for two tones and for a sweep over level.");
  if (p.along != Along::nothing && p.end == (p.along == Along::level ? p.level : p.frequency))
    return fail(Fault::input, "The sweep ends where it begins.");
  return {};
}

Result<Plan> plan_from_json(const nlohmann::json& kept) {
  Plan out;
  if (auto ok = words().from_json(kept, out); !ok) return tl::unexpected(ok.error());
  return out;
}

nlohmann::json to_json(const Plan& plan) { return words().to_json(plan); }

}  // namespace heron::study::spectrum
