#include "study/response/runner.h"

#include <string>

namespace heron::study::response {
namespace {

/// All that reduce() needs besides the samples.
nlohmann::json setting_of(const Plan& plan, const bench::AppliedDrive& applied, const Context& context,
                          std::size_t index) {
  nlohmann::json setting = {{"frequency", applied.frequency},
                            {"level_pp", applied.peak_to_peak},
                            {"offset", applied.offset},
                            {"roles", {{"stimulus", plan.stimulus}, {"response", plan.response}}}};
  auto& sensing = setting["sensing"] = nlohmann::json::object();
  for (const auto& chain : plan.hookup.chains) sensing[chain.name] = bench::to_json(bench::sensing_of(chain));
  if (!plan.hookup.computed.empty()) {
    setting["computed"] = bench::to_json(plan.hookup).at("computed");
    auto& parts = setting["parts"] = nlohmann::json::object();
    for (const auto& [name, value] : context.parts) parts[name] = value;
  }
  for (const auto& [name, level] : context.levels.quantities)
    if (index < level.peaks.size()) setting["expected"][name] = level.peaks[index];
  return setting;
}

Result<Point> measure(const Plan& plan, double frequency, std::size_t index, bench::Bench& bench,
                      const Context& context, std::stop_token stop) {
  const auto applied = bench.drive({.pin = plan.drive_pin,
                                    .frequency = frequency,
                                    .peak_to_peak = plan.level_pp,
                                    .offset = plan.offset,
                                    .source_resistance = plan.source_resistance});
  if (!applied) return tl::unexpected(applied.error());
  if (auto ok = bench.wait(plan.settle_time + plan.settle_periods / frequency, stop); !ok)
    return tl::unexpected(ok.error());
  std::vector<std::string> names;
  for (const auto& chain : plan.hookup.chains) names.push_back(chain.name);
  Point point{.setting = setting_of(plan, *applied, context, index)};
  const auto how = sampling(plan, frequency, bench);
  for (int pass = 0; pass < plan.averages; ++pass) {
    auto capture = bench.capture(how.rate, how.samples, stop);
    if (!capture) return tl::unexpected(capture.error());
    point.records.push_back(as_record(*capture, names, pass));
  }
  return point;
}

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop, const Context& context) {
  struct OffAtEnd {
    bench::Bench& bench;
    ~OffAtEnd() { bench.off(); }
  } off{bench};
  if (auto ok = check(plan); !ok) return ok;
  const auto limits = bench.limits();
  const auto sweep = frequencies(plan);
  double left = sweep_time(plan, limits);
  std::vector<bench::InputSetup> inputs;
  for (const auto& chain : plan.hookup.chains) inputs.push_back(chain.input);
  if (auto ok = bench.connect(inputs); !ok) return ok;
  for (std::size_t k = 0; k < sweep.size(); ++k) {
    if (progress) progress({int(k), int(sweep.size()), left});
    if (stop.stop_requested())
      return fail(Fault::stopped, "Stopped after {} of {} points; what was read is kept.", k, sweep.size());
    auto point = measure(plan, sweep[k], k, bench, context, stop);
    if (!point) {
      if (point.error().fault == Fault::stopped)
        return fail(Fault::stopped, "Stopped after {} of {} points; what was read is kept.", k, sweep.size());
      return tl::unexpected(point.error());
    }
    point->index = int(k);
    if (auto ok = commit(*point); !ok) return ok;
    left -= point_time(plan, sweep[k], limits);
  }
  if (progress) progress({int(sweep.size()), int(sweep.size()), 0});
  return {};
}

}  // namespace heron::study::response
