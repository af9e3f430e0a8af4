#include "study/iv/ramp_runner.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/iv/drive.h"
#include "study/iv/ramp.h"
#include "study/quantities.h"
#include "study/ranges.h"

namespace heron::study::iv {
namespace {

constexpr int kLooks = 8;      ///< samples at each point while ranges are looked for

/// The generators set going together: all waves begin with the last of them. The first one sweeps: its lead is where a
/// shunt stands.
Result<void> start_waves(const Plan& plan, bench::Bench& bench) {
  int other = 0;
  for (const auto& s : plan.sources)
    if (auto ok = bench.generate({.generator = s.role == Role::swept ? 0 : ++other,
                                  .pin = s.pin,
                                  .wave = wave_of(plan, s),
                                  .source_resistance = plan.source_resistance});
        !ok)
      return ok;
  return {};
}

std::vector<std::string> names_of(const bench::Hookup& hookup) {
  std::vector<std::string> out;
  for (const auto& chain : hookup.chains) out.push_back(chain.name);
  return out;
}

/// Inputs as they will be used: those without a range get the smallest that a sweep beforehand fits into.
Result<std::vector<bench::InputSetup>> inputs_of(const Plan& plan, bench::Bench& bench, std::stop_token stop,
                                                 std::vector<std::string>& looked_for) {
  std::vector<bench::InputSetup> out;
  for (const auto& chain : plan.hookup.chains) {
    out.push_back(chain.input);
    if (chain.input.looks_for_range()) looked_for.push_back(chain.name);
  }
  if (looked_for.empty()) return out;
  const auto all = bench.limits();
  const auto& limits = all.of(plan.hookup.digitiser);
  const auto& ranges = limits.ranges;
  if (auto ok = bench.connect(on_widest(out, ranges), plan.hookup.digitiser); !ok) return tl::unexpected(ok.error());
  if (auto ok = start_waves(plan, bench); !ok) return tl::unexpected(ok.error());
  const auto ramp = ramp_of(plan);
  const double rate = std::min(limits.highest_sample_rate, kLooks * ramp.points / ramp.leg);
  std::vector<double> highest(out.size());
  for (double left = std::ceil(ramp.total() * rate); left > 0;) {
    const int samples = int(std::min(left, 65536.0));
    const auto seen = bench.capture(rate, samples, stop);
    if (!seen) return tl::unexpected(seen.error());
    for (std::size_t k = 0; k < out.size(); ++k) highest[k] = std::max(highest[k], highest_of(seen->channels[k]));
    left -= samples;
  }
  fix_ranges(out, highest, ranges);
  return out;
}

}  // namespace

Result<void> run_ramps(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                       const std::function<void(const Progress&)>& progress, std::stop_token stop,
                       const Context& context) {
  const bench::AtRest at_rest{bench};
  const auto limits = bench.limits().of(plan.hookup.digitiser);
  const auto ramp = ramp_of(plan);
  const auto sampling = sampling_of(plan, limits.highest_sample_rate);
  const int total = sampling.stretches * plan.averages;
  const double seconds = sweep_time(plan, limits);
  const auto tell = [&](int done) {
    if (progress)
      progress({.done = done, .total = total, .bench_seconds_left = seconds * double(total - done) / total});
  };
  tell(0);
  std::vector<std::string> looked_for;
  const auto inputs = inputs_of(plan, bench, stop, looked_for);
  if (!inputs) return tl::unexpected(inputs.error());
  if (auto ok = bench.connect(*inputs, plan.hookup.digitiser); !ok) return ok;

  const auto* swept = plan.swept();
  nlohmann::json about = {{"method", "ramp"},
                          {"swept", swept->name},
                          {"roles", {{"voltage", plan.voltage_name}, {"current", plan.current_name}}},
                          {"from", swept->values.start},
                          {"to", swept->values.stop},
                          {"ramp", to_json(ramp)},
                          {"temperature", plan.temperature},
                          {"looked_for", looked_for}};
  describe_hookup(about, plan.hookup, context.parts);
  if (about.contains("parts"))
    for (const auto& [name, u] : context.parts_u) about["parts_u"][name] = u;
  if (const auto* stepped = plan.stepped()) {
    about["step_name"] = stepped->name;
    about["step_unit"] = stepped->unit();
  }
  // Each quantity is held against the rating of the place where it is sensed.
  for (const auto& chain : plan.hookup.chains)
    if (const auto it = context.ratings.find(chain.input.pin); it != context.ratings.end())
      about["ratings"][chain.name] = rating_json(it->second);
  const auto names = names_of(plan.hookup);
  int done = 0;
  for (int pass = 0; pass < plan.averages; ++pass) {
    if (plan.rest_time > 0)
      if (auto ok = bench.wait(plan.rest_time, stop); !ok) return ok;
    if (auto ok = start_waves(plan, bench); !ok) return ok;
    const double began = bench.elapsed();
    for (int k = 0; k < sampling.stretches; ++k) {
      if (stop.stop_requested()) return tl::unexpected(stopped());
      auto setting = about;
      setting["pass"] = pass;
      setting["start"] = bench.elapsed() - began;
      const auto capture = bench.capture(sampling.rate, sampling.samples, stop);
      if (!capture) return tl::unexpected(capture.error());
      Point point{.index = done, .setting = std::move(setting), .records = {as_record(*capture, names, pass)}};
      // A formula that makes no sense is told at the first stretch, not after the last.
      if (done == 0)
        if (const auto rows = quantities_of(point, point.records.front()); !rows) return tl::unexpected(rows.error());
      if (auto ok = commit(point); !ok) return ok;
      tell(++done);
    }
    if (plan.rest_time > 0)
      if (auto ok = bench.wait(plan.rest_time, stop); !ok) return ok;
  }
  return {};
}

int planned_stretches(const Plan& plan, const bench::Limits& limits) {
  return sampling_of(plan, limits.of(plan.hookup.digitiser).highest_sample_rate).stretches * plan.averages;
}

}  // namespace heron::study::iv
