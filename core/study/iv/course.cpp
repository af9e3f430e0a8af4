#include "study/iv/course.h"

#include <algorithm>

#include "study/iv/ramp.h"

namespace heron::study::iv {
namespace {

TimeCourse ramps(const Plan& plan, std::vector<Track> tracks) {
  const auto ramp = ramp_of(plan);
  TimeCourse out{std::move(tracks), ramp.total() + 2 * plan.rest_time};
  for (auto& track : out.tracks) {
    const auto& source = *plan.find(track.name);
    const auto wave = wave_of(plan, source);
    if (plan.rest_time > 0) track.line.emplace_back(0, source.rest);
    for (const auto& [t, v] : wave.points) track.line.emplace_back(t + plan.rest_time, v);
    if (plan.rest_time > 0) track.line.emplace_back(out.seconds, source.rest);
    if (source.role != Role::swept) continue;
    for (std::size_t c = 0; c < ramp.steps.size(); ++c)
      for (std::size_t k = 0; k < ramp.along.size(); ++k)
        for (int n = 0; n < ramp.points; ++n) {
          const double share = (n + 0.5) / ramp.points;
          const double t =
              double(c) * ramp.curve() + ramp.legs_begin() + (double(k) + share) * ramp.leg + plan.rest_time;
          track.read.emplace_back(t, source.values.start + (source.values.stop - source.values.start) *
                                                               (ramp.along[k] ? share : 1 - share));
        }
  }
  return out;
}

}  // namespace

TimeCourse time_course(const Plan& plan, const bench::Limits& limits) {
  std::vector<Track> tracks;
  for (const auto role : {Role::swept, Role::stepped, Role::constant})
    for (const auto& s : plan.sources)
      if (s.role == role) tracks.push_back({s.name, std::string(s.unit()), role == Role::swept, {}, {}});
  if (plan.method == Method::waveform) return ramps(plan, std::move(tracks));
  TimeCourse out{std::move(tracks), sweep_time(plan, limits)};
  const double each =
      limits.source_measure_overhead + plan.delay + plan.aperture * plan.averages * double(plan.sources.size());
  const auto steps = steps_of(plan);
  for (auto& track : out.tracks) {
    const auto& source = *plan.find(track.name);
    const auto hold = [&](double from, double to, double value) {
      // A value that goes on is one line.
      if (!track.line.empty() && track.line.back().second == value)
        track.line.back().first = to;
      else
        track.line.insert(track.line.end(), {{from, value}, {to, value}});
    };
    double now = 0;
    if (plan.rest_time > 0) hold(0, plan.rest_time, source.rest);
    now += plan.rest_time;
    for (const auto& step : steps) {
      const double value = source.role == Role::swept     ? step.value
                           : source.role == Role::stepped ? step.step.value_or(0)
                                                          : source.value;
      const double until = now + each + (step.first ? plan.hold : 0);
      hold(now, until, value);
      if (source.role == Role::swept) track.read.emplace_back(until, value);
      now = until;
    }
    if (plan.rest_time > 0) hold(now, now + plan.rest_time, source.rest);
  }
  return out;
}

}  // namespace heron::study::iv
