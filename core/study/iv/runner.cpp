#include "study/iv/runner.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/iv/drive.h"
#include "study/iv/ramp_runner.h"

namespace heron::study::iv {
namespace {

/// The mean of several readings: noise falls, what they share does not. Every other reading belongs to the second half
/// of the time, so that a current that still moves shows.
struct Mean {
  bench::SourceReading sum;
  double late = 0, noise = 0;
  int n = 0;

  void add(const bench::SourceReading& r) {
    sum.voltage += r.voltage;
    sum.current += r.current;
    late += (n % 2 ? 1 : -1) * r.current;
    sum.u_voltage_noise = std::hypot(sum.u_voltage_noise, r.u_voltage_noise);
    sum.u_current_noise = std::hypot(sum.u_current_noise, r.u_current_noise);
    sum.u_voltage_shared = r.u_voltage_shared;
    sum.u_current_shared = r.u_current_shared;
    sum.voltage_range = r.voltage_range;
    sum.current_range = r.current_range;
    sum.at_compliance = sum.at_compliance || r.at_compliance;
    ++n;
  }
  nlohmann::json json(const Source& s) const {
    return {{"voltage", sum.voltage / n},
            {"current", sum.current / n},
            {"u_voltage_noise", sum.u_voltage_noise / n},
            {"u_voltage_shared", sum.u_voltage_shared},
            {"u_current_noise", sum.u_current_noise / n},
            {"u_current_shared", sum.u_current_shared},
            {"voltage_range", sum.voltage_range},
            {"current_range", sum.current_range},
            {"fixed_range", s.current_range.has_value()},
            {"moved", late / (n / 2)},
            {"u_moved", sum.u_current_noise / (n / 2)},
            {"at_compliance", sum.at_compliance}};
  }
};

/// What every point says of the take as a whole.
nlohmann::json common(const Plan& plan, const Context& context) {
  nlohmann::json out = {{"swept", plan.swept()->name},
                        {"sensed", plan.sensed_name()},
                        {"delay", plan.delay},
                        {"temperature", plan.temperature}};
  for (const auto& s : plan.sources)
    if (const auto it = context.ratings.find(s.pin); it != context.ratings.end())
      out["ratings"][s.name] = rating_json(it->second);
  if (const auto* stepped = plan.stepped()) {
    out["step_name"] = stepped->name;
    out["step_unit"] = stepped->unit();
  } else if (const auto* held = plan.sensed_name() != plan.swept()->name ? plan.find(plan.sensed_name()) : nullptr;
             held && held->force == bench::Force::voltage) {
    // A single transfer curve: what holds the drain is its step.
    out["step"] = held->value;
    out["step_name"] = held->name;
    out["step_unit"] = held->unit();
  }
  return out;
}

/// All sources at their rest values for the plan's time.
Result<void> rest(const Plan& plan, bench::Bench& bench, std::stop_token stop) {
  if (!(plan.rest_time > 0)) return {};
  for (std::size_t k = 0; k < plan.sources.size(); ++k)
    if (auto ok = bench.source(setup_of(plan.sources[k], int(k), plan.sources[k].rest)); !ok) return ok;
  return bench.wait(plan.rest_time, stop);
}

Result<void> run_readings(const Plan& plan, bench::Bench& bench,
                          const std::function<Result<void>(const Point&)>& commit,
                          const std::function<void(const Progress&)>& progress, std::stop_token stop,
                          const Context& context) {
  const bench::AtRest at_rest{bench};
  if (auto ok = bench.connect({}); !ok) return ok;
  const auto steps = steps_of(plan);
  const double seconds = sweep_time(plan, bench.limits());
  const auto about = common(plan, context);
  const auto set = [&](const Step& step) -> Result<void> {
    for (std::size_t k = 0; k < plan.sources.size(); ++k) {
      const auto& s = plan.sources[k];
      // What stands still is set once a curve.
      if (s.role != Role::swept && !step.first) continue;
      const double value = s.role == Role::swept     ? step.value
                           : s.role == Role::stepped ? step.step.value_or(0)
                                                     : s.value;
      if (auto ok = bench.source(setup_of(s, int(k), value)); !ok) return ok;
    }
    return {};
  };
  if (auto ok = rest(plan, bench, stop); !ok) return ok;
  for (std::size_t n = 0; n < steps.size(); ++n) {
    const auto& step = steps[n];
    if (progress)
      progress({.done = int(n),
                .total = int(steps.size()),
                .bench_seconds_left = seconds * double(steps.size() - n) / double(steps.size())});
    if (stop.stop_requested()) return tl::unexpected(stopped());
    if (auto ok = set(step); !ok) return ok;
    if (const double wait = plan.delay + (step.first ? plan.hold : 0); wait > 0)
      if (auto ok = bench.wait(wait, stop); !ok) return ok;
    auto setting = about;
    setting["programmed"] = step.value;
    setting["cycle"] = step.cycle;
    if (step.step) setting["step"] = *step.step;
    for (std::size_t k = 0; k < plan.sources.size(); ++k) {
      Mean mean;
      // Two halves of each aperture.
      for (int half = 0; half < 2 * plan.averages; ++half) {
        const auto reading = bench.measure(int(k), 0, plan.aperture / 2, stop);
        if (!reading) return tl::unexpected(reading.error());
        mean.add(*reading);
      }
      setting["readings"][plan.sources[k].name] = mean.json(plan.sources[k]);
    }
    setting["time"] = bench.elapsed();
    if (auto ok = commit({.index = int(n), .setting = std::move(setting), .records = {}}); !ok) return ok;
  }
  if (auto ok = rest(plan, bench, stop); !ok) return ok;
  if (progress) progress({.done = int(steps.size()), .total = int(steps.size()), .bench_seconds_left = 0});
  return {};
}

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop, const Context& context) {
  if (auto ok = check(plan); !ok) return ok;
  return plan.method == Method::waveform ? run_ramps(plan, bench, commit, progress, stop, context)
                                         : run_readings(plan, bench, commit, progress, stop, context);
}

int planned_points(const Plan& plan, const bench::Limits& limits) {
  if (plan.method == Method::waveform) return planned_stretches(plan, limits);
  return int(steps_of(plan).size());
}

}  // namespace heron::study::iv
