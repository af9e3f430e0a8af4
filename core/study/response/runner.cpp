#include "study/response/runner.h"

#include <array>

namespace heron::study::response {
namespace {

const std::array<std::string, 2> kRoles = {"stimulus", "response"};

Result<Point> measure(const Plan& plan, double frequency, bench::Bench& bench, std::stop_token stop) {
  const auto applied = bench.drive({.pin = plan.drive_pin,
                                    .frequency = frequency,
                                    .peak_to_peak = plan.level_pp,
                                    .offset = plan.offset,
                                    .source_resistance = plan.source_resistance});
  if (!applied) return tl::unexpected(applied.error());
  if (auto ok = bench.wait(plan.settle_time + plan.settle_periods / frequency, stop); !ok)
    return tl::unexpected(ok.error());
  Point point{
      .setting = {{"frequency", applied->frequency}, {"level_pp", applied->peak_to_peak}, {"offset", applied->offset}}};
  const auto how = sampling(plan, frequency, bench);
  for (int pass = 0; pass < plan.averages; ++pass) {
    auto capture = bench.capture(how.rate, how.samples, stop);
    if (!capture) return tl::unexpected(capture.error());
    point.records.push_back(as_record(*capture, kRoles, pass));
  }
  return point;
}

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop) {
  struct OffAtEnd {
    bench::Bench& bench;
    ~OffAtEnd() { bench.off(); }
  } off{bench};
  if (auto ok = check(plan); !ok) return ok;
  const auto limits = bench.limits();
  const auto sweep = frequencies(plan);
  double left = sweep_time(plan, limits);
  if (auto ok = bench.connect({{plan.stimulus_pin, plan.stimulus_range}, {plan.response_pin, plan.response_range}});
      !ok)
    return ok;
  for (std::size_t k = 0; k < sweep.size(); ++k) {
    if (progress) progress({int(k), int(sweep.size()), left});
    if (stop.stop_requested())
      return fail(Fault::stopped, "Stopped after {} of {} points; what was read is kept.", k, sweep.size());
    auto point = measure(plan, sweep[k], bench, stop);
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
