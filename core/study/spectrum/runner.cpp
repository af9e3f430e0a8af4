#include "study/spectrum/runner.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "study/feed.h"
#include "study/quantities.h"
#include "study/ranges.h"

namespace heron::study::spectrum {
namespace {

/// What drives at one point.
Result<nlohmann::json> drive(const Plan& plan, bench::Bench& bench, const Plan::Step& step) {
  if (plan.drive == Drive::nothing) return nlohmann::json::object();
  if (plan.drive == Drive::sine) {
    const auto applied = bench.drive({.pin = plan.drive_pin,
                                      .frequency = step.frequency,
                                      .peak_to_peak = step.level,
                                      .offset = plan.offset,
                                      .source_resistance = plan.source_resistance});
    if (!applied) return tl::unexpected(applied.error());
    return nlohmann::json{{"frequency", applied->frequency}, {"level_pp", applied->peak_to_peak}};
  }
  // Two generators in parallel, each of twice the resistance: together they are a source of that resistance with half the sum
  // of both.
  for (const int k : {0, 1}) {
    bench::Waveform wave{.shape = bench::Waveform::Shape::sine, .offset = plan.offset};
    wave.peak = step.level;
    wave.frequency = k == 0 ? step.frequency : plan.second_frequency;
    wave.phase = -std::numbers::pi / 2;
    if (auto ok = bench.generate({.generator = k, .pin = plan.drive_pin, .wave = wave, .source_resistance = 2 * plan.source_resistance}); !ok)
      return tl::unexpected(ok.error());
  }
  return nlohmann::json{{"frequency", step.frequency}, {"second_frequency", plan.second_frequency}, {"level_pp", step.level}};
}

/// What holds whole cycles at the rate that was asked for shall do so at the one that the inputs have.
Plan::Step at_rate(const Plan& plan, const Plan::Step& step, double rate) {
  const double cycles = step.frequency * plan.length();
  const bool whole = std::abs(cycles - std::round(cycles)) < 1e-3;
  return {step.level, whole ? step.frequency * rate / plan.rate : step.frequency};
}

Error stopped(std::size_t done, std::size_t total) {
  return {Fault::stopped, fmt::format("Stopped after {} of {} points; what was read is kept.", done, total)};
}

/// Inputs with the smallest ranges that hold the highest point of the sweep: what is read at one range has one floor.
Result<std::vector<bench::InputSetup>> inputs_of(const Plan& plan, bench::Bench& bench, std::stop_token stop, std::vector<std::string>& looked_for) {
  std::vector<bench::InputSetup> out;
  for (const auto& chain : plan.hookup.chains) {
    out.push_back(chain.input);
    if (!chain.input.range) looked_for.push_back(chain.name);
  }
  if (looked_for.empty()) return out;
  const bench::AtRest at_rest{bench};
  const auto ranges = bench.limits().of(plan.hookup.digitiser).ranges;
  if (auto ok = bench.connect(on_widest(out, ranges), plan.hookup.digitiser); !ok) return tl::unexpected(ok.error());
  if (auto ok = feed(bench, plan.feed_pin, plan.feed_voltage, plan.feed_limit, plan.feed_time, stop); !ok) return tl::unexpected(ok.error());
  auto steps = plan.steps();
  const auto highest_step = std::max_element(steps.begin(), steps.end(), [](const auto& a, const auto& b) { return a.level < b.level; });
  if (const auto driven = drive(plan, bench, *highest_step); !driven) return tl::unexpected(driven.error());
  if (auto ok = bench.wait(plan.settle_time, stop); !ok) return tl::unexpected(ok.error());
  const auto seen = bench.capture(plan.rate, std::min(plan.samples, 8192), stop);
  if (!seen) return tl::unexpected(seen.error());
  std::vector<double> highest;
  for (const auto& channel : seen->channels) highest.push_back(highest_of(channel));
  fix_ranges(out, highest, ranges);
  return out;
}

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context) {
  const bench::AtRest at_rest{bench};
  const auto steps = plan.steps();
  std::vector<std::string> looked_for, names;
  for (const auto& chain : plan.hookup.chains) names.push_back(chain.name);
  const auto ended = [&](const Error& error, std::size_t done) {
    return tl::unexpected(error.fault == Fault::stopped ? stopped(done, steps.size()) : error);
  };
  const auto inputs = inputs_of(plan, bench, context.stop, looked_for);
  if (!inputs) return ended(inputs.error(), 0);
  nlohmann::json about = {{"looked_for", looked_for}};
  describe_hookup(about, plan.hookup, context.around.formula_values());
  if (auto ok = bench.connect(*inputs, plan.hookup.digitiser); !ok) return ok;
  if (auto ok = feed(bench, plan.feed_pin, plan.feed_voltage, plan.feed_limit, plan.feed_time, context.stop); !ok) return ended(ok.error(), 0);
  const double rate = bench.nearest_rate(plan.rate);
  const double each = plan.settle_time + plan.records * plan.length();
  for (std::size_t k = 0; k < steps.size(); ++k) {
    const auto tell = [&](double share) {
      if (context.progress)
        context.progress({.done = int(k), .total = int(steps.size()), .bench_seconds_left = (double(steps.size() - k) - share) * each, .share = share});
    };
    tell(0);
    if (context.stop.stop_requested()) return tl::unexpected(stopped(k, steps.size()));
    const auto driven = drive(plan, bench, at_rate(plan, steps[k], rate));
    if (!driven) return ended(driven.error(), k);
    if (auto ok = bench.wait(plan.settle_time, context.stop); !ok) return ended(ok.error(), k);
    auto setting = about;
    setting.update(*driven);
    if (plan.drive != Drive::nothing && plan.along != Along::nothing)
      setting["swept"] = plan.along == Along::level ? nlohmann::json{{"name", "level"}, {"unit", "V"}, {"form", "rms"}, {"value", steps[k].level / (2 * std::numbers::sqrt2)}}
                                                    : nlohmann::json{{"name", "frequency"}, {"unit", "Hz"}, {"value", driven->at("frequency")}};
    Point point{.index = int(k), .setting = std::move(setting), .records = {}};
    for (int pass = 0; pass < plan.records; ++pass) {
      const auto read = bench.capture(plan.rate, plan.samples, context.stop);
      if (!read) return ended(read.error(), k);
      point.records.push_back(as_record(*read, names, pass));
      tell(double(pass + 1) / plan.records);
      if (context.so_far && pass + 1 < plan.records) context.so_far(point);
    }
    if (auto ok = context.keep(point); !ok) return ok;
  }
  return {};
}

}  // namespace heron::study::spectrum
