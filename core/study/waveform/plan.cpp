#include "study/waveform/plan.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/waveform/words.h"

namespace heron::study::waveform {

long long Plan::samples() const { return std::llround(length * rate); }

bool Plan::repeats() const {
  return drive == Drive::generator && shape != Shape::step && shape != Shape::points;
}

std::pair<double, double> Plan::reach() const {
  if (shape != Shape::points) return {low, high};
  const auto [least, most] =
      std::minmax_element(points.begin(), points.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
  return {least->second, most->second};
}

Result<void> check(const Plan& p) {
  if (p.samples() < 16)
    return fail(Fault::input, "A record of {} at {} has {} samples; 16 are the fewest.", format_setting(p.length, "s"),
                format_setting(p.rate, "Hz"), p.samples());
  if (p.samples() > kMostSamples)
    return fail(Fault::input, "A record of {} at {} has {} samples; {} are the most. Sample more slowly.",
                format_setting(p.length, "s"), format_setting(p.rate, "Hz"), p.samples(), kMostSamples);
  if (p.waits() && !p.hookup.find(p.quantity))
    return fail(Fault::input, "Something of {} is waited for, but no input senses that.", p.quantity.empty() ? "nothing" : p.quantity);
  if (p.drive == Drive::contact && p.contact.empty())
    return fail(Fault::input, "Say which contact is moved.");
  if (p.drive == Drive::supply && !p.feed_pin.empty())
    return fail(Fault::input, "There is one DC source: it feeds {} or is switched on, not both.", p.feed_pin);
  if (p.drive == Drive::surge && !(p.surge_tail >= bench::kShortestTail * p.surge_front))
    return fail(Fault::input, "A surge falls to half in no less than {} times its front of {}.", bench::kShortestTail,
                format_setting(p.surge_front, "s"));
  if (p.drive != Drive::generator) return {};
  if (p.shape == Shape::points) {
    if (p.points.size() < 2) return fail(Fault::input, "A drive by points has two of them at least.");
    for (std::size_t k = 0; k < p.points.size(); ++k) {
      const auto& [t, v] = p.points[k];
      if (!std::isfinite(t) || !std::isfinite(v) || t < 0 || (k > 0 && !(t > p.points[k - 1].first)))
        return fail(Fault::input, "Point {} of the drive: times rise from 0 on, and volts are numbers.", k + 1);
    }
    return {};
  }
  if (!(p.high > p.low))
    return fail(Fault::input, "The drive goes from {} up to {}; the upper end must be above the lower one.",
                format_setting(p.low, "V"), format_setting(p.high, "V"));
  const double edges = 2 * p.edge;
  if (p.shape == Shape::pulse && !(p.width + p.edge < p.period && p.width >= p.edge))
    return fail(Fault::input, "A pulse {} wide with edges of {} does not fit a period of {}.", format_setting(p.width, "s"),
                format_setting(p.edge, "s"), format_setting(p.period, "s"));
  if (p.shape == Shape::staircase && !(edges < p.period / p.steps))
    return fail(Fault::input, "Steps of {} leave no room for edges of {}.", format_setting(p.period / p.steps, "s"),
                format_setting(p.edge, "s"));
  return {};
}

Result<Plan> plan_from_json(const nlohmann::json& kept) {
  Plan plan;
  if (auto ok = words().from_json(kept, plan); !ok) return tl::unexpected(ok.error());
  if (auto ok = check(plan); !ok) return tl::unexpected(ok.error());
  return plan;
}

nlohmann::json to_json(const Plan& plan) { return words().to_json(plan); }

bench::Waveform wave_of(const Plan& p, double lead) {
  bench::Waveform out;
  switch (p.shape) {
    case Shape::sine:
    case Shape::burst:
      out.shape = bench::Waveform::Shape::sine;
      out.offset = (p.low + p.high) / 2;
      out.peak = (p.high - p.low) / 2;
      out.frequency = 1 / p.period;
      // Rising through its middle at the start.
      out.phase = -1.5707963267948966;
      if (p.shape == Shape::burst) out.cycles = p.cycles;
      break;
    case Shape::pulse:
      out = bench::pulse(p.low, p.high, p.edge, p.edge, p.width, p.period);
      break;
    case Shape::step:
      out.shape = bench::Waveform::Shape::lines;
      out.points = {{0, p.low}, {p.edge, p.high}};
      break;
    case Shape::ramp:
      out = bench::triangle(p.low, p.high, 1 - p.edge / p.period, p.period);
      break;
    case Shape::points:
      out.shape = bench::Waveform::Shape::lines;
      out.points = p.points;
      break;
    case Shape::staircase:
      out = bench::staircase(p.low, p.high, p.steps, p.period / p.steps, p.edge);
      break;
  }
  out.delay = lead;
  return out;
}

}  // namespace heron::study::waveform
