#include "study/spectrum/runner.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "signal/record_lines.h"
#include "study/feed.h"
#include "study/quantities.h"
#include "study/ranges.h"
#include "study/spectrum/sweep.h"

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
  return {step.level, is_whole(cycles) ? step.frequency * rate / plan.rate : step.frequency};
}

Error stopped(std::size_t done, std::size_t total) {
  return {Fault::stopped, fmt::format("Stopped after {} of {} points; what was read is kept.", done, total)};
}

/// The full scale of the first quantity in its unit, of its converter or as it is set; 0 where nobody says it.
double full_scale_of(const Plan& plan, const Surroundings& around) {
  if (const auto settings = settings_from_text(around.settings); settings && settings->full_scale) return *settings->full_scale;
  const auto& first = plan.hookup.chains.front().input;
  const auto found = first.sensor.reads_codes() ? around.converters.find(first.pin) : around.converters.end();
  return found == around.converters.end() ? 0 : found->second.full_scale;
}

/// The level at which the first quantity reads what is wanted of full scale: each look brings it nearer.
Result<double> find_level(const Plan& plan, bench::Bench& bench, Plan::Step step, double full_scale, std::stop_token stop) {
  constexpr int kLooks = 8, kSamples = 8192;
  constexpr double kClose = 0.01, kStep = 4;  // dB; the most that a level rises by at once: what is far from full scale may not be linear
  const auto per_volt = bench::sensing_of(plan.hookup.chains.front()).per_volt;
  const double wanted = full_scale * std::pow(10, *plan.wanted / 20);
  const auto window = signal::facts_of(signal::Window::blackman_harris);
  for (int look = 0; look < kLooks; ++look) {
    if (const auto driven = drive(plan, bench, step); !driven) return tl::unexpected(driven.error());
    if (auto ok = bench.wait(plan.settle_time, stop); !ok) return tl::unexpected(ok.error());
    const auto seen = bench.capture(plan.rate, std::min(plan.samples, kSamples), stop);
    if (!seen) return tl::unexpected(seen.error());
    const signal::RecordLines lines(seen->channels.front().volts());
    const auto near = std::size_t(std::llround(step.frequency / seen->sample_rate * double(lines.samples())));
    const auto tone = lines.tone_near(near, window);
    const double ratio = tone ? wanted / (std::abs(per_volt) * tone->peak) : 0;
    if (!(ratio > 0) || !std::isfinite(ratio))
      return fail(Fault::bench, "{} shows nothing of the {} that is driven, so that its level cannot be set to {}.", plan.hookup.chains.front().name,
                  format_setting(step.frequency, "Hz"), format_setting(*plan.wanted, "dBFS"));
    if (std::abs(20 * std::log10(ratio)) < kClose) return step.level;
    step.level *= std::min(ratio, kStep);
  }
  return fail(Fault::bench, "The level of {} does not settle at {}: it is {} pk-pk now.", plan.drive_pin, format_setting(*plan.wanted, "dBFS"),
              format_quantity(step.level, "V", 3).plain());
}

/// What the inputs read by themselves, shorted, at every range that the plan may take: one point each.
Result<void> read_floor(const Plan& plan, bench::Bench& bench, const RunContext& context) {
  const bench::AtRest at_rest{bench};
  std::vector<std::string> names;
  for (const auto& chain : plan.hookup.chains) names.push_back(chain.name);
  auto ranges = bench.limits().of(plan.hookup.digitiser).ranges;
  const bool any = std::any_of(plan.hookup.chains.begin(), plan.hookup.chains.end(), [](const bench::Chain& c) { return c.input.looks_for_range(); });
  if (!any) ranges.resize(1);
  for (std::size_t k = 0; k < ranges.size(); ++k) {
    if (context.progress) context.progress({.done = int(k), .total = int(ranges.size()), .bench_seconds_left = double(ranges.size() - k) * plan.length(), .share = 0});
    if (context.stop.stop_requested()) return tl::unexpected(stopped(k, ranges.size()));
    std::vector<bench::InputSetup> inputs;
    for (const auto& chain : plan.hookup.chains) {
      inputs.push_back(chain.input);
      if (chain.input.looks_for_range()) inputs.back().range = ranges[k];
    }
    if (auto ok = bench.connect(inputs, plan.hookup.digitiser); !ok) return ok;
    if (auto ok = bench.wait(plan.settle_time, context.stop); !ok) return ok;
    const auto read = bench.capture(plan.rate, plan.samples, context.stop);
    if (!read) return tl::unexpected(read.error());
    nlohmann::json about = {{"purpose", context.purpose}, {kShortedRange, any ? ranges[k] : 0}};
    describe_hookup(about, plan.hookup, context.around.formula_values());
    Point point{.index = int(k), .setting = about, .records = {}};
    point.records.push_back(as_record(*read, names, 0));
    if (auto ok = context.keep(point); !ok) return ok;
  }
  return {};
}

/// Inputs with the smallest ranges that hold the highest point of the sweep: what is read at one range has one floor.
Result<std::vector<bench::InputSetup>> inputs_of(const Plan& plan, bench::Bench& bench, double full_scale, std::stop_token stop,
                                                 std::vector<std::string>& looked_for) {
  std::vector<bench::InputSetup> out;
  for (const auto& chain : plan.hookup.chains) {
    out.push_back(chain.input);
    if (chain.input.looks_for_range()) looked_for.push_back(chain.name);
  }
  if (looked_for.empty()) return out;
  const bench::AtRest at_rest{bench};
  const auto ranges = bench.limits().of(plan.hookup.digitiser).ranges;
  // What will be driven to a share of full scale is foreseen.
  if (plan.wanted && out.front().looks_for_range()) {
    const double peak = full_scale * std::pow(10, *plan.wanted / 20) / std::abs(bench::sensing_of(plan.hookup.chains.front()).per_volt);
    out.front().range = range_that_fits(peak, ranges);
    if (looked_for.size() == 1) return out;
  }
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
  if (!context.purpose.empty()) return read_floor(plan, bench, context);
  const bench::AtRest at_rest{bench};
  const auto steps = plan.steps();
  std::vector<std::string> looked_for, names;
  for (const auto& chain : plan.hookup.chains) names.push_back(chain.name);
  const auto ended = [&](const Error& error, std::size_t done) {
    return tl::unexpected(error.fault == Fault::stopped ? stopped(done, steps.size()) : error);
  };
  const double full_scale = full_scale_of(plan, context.around);
  if (plan.wanted && !(full_scale > 0))
    return fail(Fault::bench, "A level in dBFS wants the full scale of {}: read the codes of a converter, or set full_scale.", plan.hookup.chains.front().name);
  const auto inputs = inputs_of(plan, bench, full_scale, context.stop, looked_for);
  if (!inputs) return ended(inputs.error(), 0);
  nlohmann::json about = {{"looked_for", looked_for}};
  describe_hookup(about, plan.hookup, context.around.formula_values());
  if (plan.drive != Drive::nothing)
    for (const auto& chain : plan.hookup.chains)
      if (chain.input.pin == plan.drive_pin && !chain.input.sensor.senses_current()) about["stimulus"] = chain.name;
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
    auto step = at_rate(plan, steps[k], rate);
    if (plan.wanted) {
      const auto level = find_level(plan, bench, step, full_scale, context.stop);
      if (!level) return ended(level.error(), k);
      step.level = *level;
    }
    const auto driven = drive(plan, bench, step);
    if (!driven) return ended(driven.error(), k);
    if (auto ok = bench.wait(plan.settle_time, context.stop); !ok) return ended(ok.error(), k);
    auto setting = about;
    setting.update(*driven);
    if (plan.drive != Drive::nothing && plan.along != Along::nothing)
      setting["swept"] = plan.along == Along::level
                             ? nlohmann::json{{"name", axis_over(SweptOver::level).name}, {"value", steps[k].level / (2 * std::numbers::sqrt2)}}
                             : nlohmann::json{{"name", axis_over(SweptOver::frequency).name}, {"value", driven->at("frequency")}};
    std::optional<Point> point;
    for (int pass = 0; pass < plan.records; ++pass) {
      const auto read = bench.capture(plan.rate, plan.samples, context.stop);
      if (!read) return ended(read.error(), k);
      if (!point) {
        describe_codes(setting, *read, names);
        point = Point{.index = int(k), .setting = setting, .records = {}};
      }
      point->records.push_back(as_record(*read, names, pass));
      tell(double(pass + 1) / plan.records);
      if (context.so_far && pass + 1 < plan.records) context.so_far(*point);
    }
    if (auto ok = context.keep(*point); !ok) return ok;
  }
  return {};
}

}  // namespace heron::study::spectrum
