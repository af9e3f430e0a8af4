#include "study/iv/runner.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"

namespace heron::study::iv {
namespace {

/// Everything off, however the run ends.
struct AtRest {
  bench::Bench& bench;
  ~AtRest() { bench.off(); }
};

Error stopped() { return {Fault::stopped, "Stopped."}; }

bench::SourceMeasureSetup setup_of(const Source& s, int channel, double value) {
  return {.channel = channel,
          .pin = s.pin,
          .against = s.against,
          .force = s.force,
          .value = value,
          .compliance = s.compliance,
          .four_wire = s.four_wire,
          .current_range = s.current_range,
          .lowest_current_range = s.lowest_range,
          .voltage_range = {}};
}

/// The mean of several readings: noise falls, what they share does not.
struct Mean {
  bench::SourceReading sum;
  int n = 0;

  void add(const bench::SourceReading& r) {
    sum.voltage += r.voltage;
    sum.current += r.current;
    sum.u_voltage_noise = std::hypot(sum.u_voltage_noise, r.u_voltage_noise);
    sum.u_current_noise = std::hypot(sum.u_current_noise, r.u_current_noise);
    sum.u_voltage_shared = r.u_voltage_shared;
    sum.u_current_shared = r.u_current_shared;
    sum.voltage_range = r.voltage_range;
    sum.current_range = r.current_range;
    sum.at_compliance = sum.at_compliance || r.at_compliance;
    ++n;
  }
  nlohmann::json json() const {
    return {{"voltage", sum.voltage / n},
            {"current", sum.current / n},
            {"u_voltage_noise", sum.u_voltage_noise / n},
            {"u_voltage_shared", sum.u_voltage_shared},
            {"u_current_noise", sum.u_current_noise / n},
            {"u_current_shared", sum.u_current_shared},
            {"voltage_range", sum.voltage_range},
            {"current_range", sum.current_range},
            {"at_compliance", sum.at_compliance}};
  }
};

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop) {
  if (auto ok = check(plan); !ok) return ok;
  const AtRest rest{bench};
  if (auto ok = bench.connect({}); !ok) return ok;
  const auto steps = steps_of(plan);
  const double seconds = sweep_time(plan, bench.limits());
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
    nlohmann::json setting = {{"programmed", step.value},
                              {"cycle", step.cycle},
                              {"swept", plan.swept()->name},
                              {"sensed", plan.sensed_name()},
                              {"temperature", plan.temperature}};
    if (const auto* stepped = plan.stepped()) {
      setting["step"] = *step.step;
      setting["step_name"] = stepped->name;
      setting["step_unit"] = stepped->unit();
    } else if (const auto* held = plan.sensed_name() != plan.swept()->name ? plan.find(plan.sensed_name()) : nullptr;
               held && held->force == bench::Force::voltage) {
      // A single transfer curve: what holds the drain is its step.
      setting["step"] = held->value;
      setting["step_name"] = held->name;
      setting["step_unit"] = held->unit();
    }
    for (std::size_t k = 0; k < plan.sources.size(); ++k) {
      Mean mean;
      for (int a = 0; a < plan.averages; ++a) {
        const auto reading = bench.measure(int(k), 0, plan.aperture, stop);
        if (!reading) return tl::unexpected(reading.error());
        mean.add(*reading);
      }
      setting["readings"][plan.sources[k].name] = mean.json();
    }
    setting["time"] = bench.elapsed();
    if (auto ok = commit({.index = int(n), .setting = std::move(setting), .records = {}}); !ok) return ok;
  }
  if (progress) progress({.done = int(steps.size()), .total = int(steps.size()), .bench_seconds_left = 0});
  return {};
}

Result<Raised> raise_compliance(const Plan& plan, bench::Bench& bench, std::stop_token stop) {
  if (auto ok = check(plan); !ok) return tl::unexpected(ok.error());
  const AtRest rest{bench};
  if (auto ok = bench.connect({}); !ok) return tl::unexpected(ok.error());
  const auto* swept = plan.swept();
  const auto values = list_of(swept->values);
  const double far =
      *std::max_element(values.begin(), values.end(), [](double a, double b) { return std::abs(a) < std::abs(b); });
  Raised out;
  for (double compliance = swept->compliance / 128;; compliance *= 2) {
    if (stop.stop_requested()) return tl::unexpected(stopped());
    out.compliance = std::min(compliance, swept->compliance);
    for (std::size_t k = 0; k < plan.sources.size(); ++k) {
      auto s = plan.sources[k];
      double value = s.value;
      if (s.role == Role::swept) {
        s.compliance = out.compliance;
        value = far;
      } else if (s.role == Role::stepped) {
        const auto steps = list_of(s.values);
        value =
            *std::max_element(steps.begin(), steps.end(), [](double a, double b) { return std::abs(a) < std::abs(b); });
      }
      if (auto ok = bench.source(setup_of(s, int(k), value)); !ok) return tl::unexpected(ok.error());
    }
    if (auto ok = bench.wait(std::max(plan.delay, 1e-3), stop); !ok) return tl::unexpected(ok.error());
    const auto channel = int(swept - plan.sources.data());
    const auto reading = bench.measure(channel, 0, plan.aperture, stop);
    if (!reading) return tl::unexpected(reading.error());
    out.tried.emplace_back(out.compliance, reading->at_compliance);
    out.sufficed = !reading->at_compliance;
    if (out.sufficed || out.compliance >= swept->compliance) return out;
  }
}

}  // namespace heron::study::iv
