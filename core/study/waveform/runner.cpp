#include "study/waveform/runner.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/quantities.h"
#include "study/ranges.h"

namespace heron::study::waveform {
namespace {

Error stopped(int done, int total) {
  return {Fault::stopped, fmt::format("Stopped after {} of {} records; what was read is kept.", done, total)};
}

/// @param lead  s that the drive rests before it moves
Result<void> start_drive(const Plan& plan, bench::Bench& bench, double lead) {
  switch (plan.drive) {
    case Drive::nothing:
      return {};
    case Drive::generator:
      return bench.generate({.pin = plan.drive_pin, .wave = wave_of(plan, lead), .source_resistance = plan.source_resistance});
    case Drive::supply:
      return bench.supply({.pin = plan.drive_pin,
                           .voltage = plan.supply_voltage,
                           .current_limit = plan.supply_limit,
                           .rises_after = lead});
    case Drive::surge:
      return bench.surge({.pin = plan.drive_pin,
                          .peak = plan.surge_peak,
                          .front = plan.surge_front,
                          .tail = plan.surge_tail,
                          .source_resistance = plan.surge_resistance,
                          .after = lead});
    case Drive::contact:
      return bench.operate({.contact = plan.contact, .closed = plan.closes, .after = lead});
  }
  return {};
}

/// What feeds the device comes first, until it rests.
Result<void> feed(const Plan& plan, bench::Bench& bench, std::stop_token stop) {
  if (plan.feed_pin.empty()) return {};
  if (auto ok = bench.supply({.pin = plan.feed_pin, .voltage = plan.feed_voltage, .current_limit = plan.feed_limit}); !ok)
    return ok;
  return bench.wait(plan.feed_time, stop);
}

/// Inputs as they will be used. Those without a range get the smallest that a rehearsal fits into, on the widest range:
/// what a single event needs cannot be looked for while it happens.
Result<std::vector<bench::InputSetup>> inputs_of(const Plan& plan, bench::Bench& bench, std::stop_token stop,
                                                 std::vector<std::string>& looked_for) {
  std::vector<bench::InputSetup> out;
  for (const auto& chain : plan.hookup.chains) {
    out.push_back(chain.input);
    if (chain.input.range) continue;
    if (!plan.may_rehearse())
      return fail(Fault::bench, "{} looks for its range by itself, and what happens once is over before it has found it.",
                  chain.name);
    looked_for.push_back(chain.name);
  }
  if (looked_for.empty()) return out;
  const bench::AtRest at_rest{bench};
  const auto ranges = bench.limits().ranges;
  if (auto ok = bench.connect(on_widest(out, ranges)); !ok) return tl::unexpected(ok.error());
  if (auto ok = feed(plan, bench, stop); !ok) return tl::unexpected(ok.error());
  if (auto ok = start_drive(plan, bench, 0); !ok) return tl::unexpected(ok.error());
  const auto seen = bench.capture(plan.rate, int(plan.samples()), stop);
  if (!seen) return tl::unexpected(seen.error());
  std::vector<double> highest;
  for (const auto& channel : seen->channels) highest.push_back(highest_of(channel));
  fix_ranges(out, highest, ranges);
  return out;
}

/// The level of a quantity as volts at its input.
double at_input(const bench::Sensing& sensing, double level) { return level / sensing.per_volt + sensing.zero; }

Result<bench::Capture> capture(const Plan& plan, bench::Bench& bench, std::stop_token stop, nlohmann::json& setting) {
  const int samples = int(plan.samples());
  const double lead = plan.before * plan.length;
  if (plan.when != When::edge) {
    const double wait = plan.when == When::start ? lead : 0;
    if (auto ok = start_drive(plan, bench, wait); !ok) return tl::unexpected(ok.error());
    auto read = bench.capture(plan.rate, samples, stop);
    if (read && plan.when == When::start) read->trigger_at = wait - read->began;
    return read;
  }
  const auto place = std::find_if(plan.hookup.chains.begin(), plan.hookup.chains.end(),
                                  [&](const bench::Chain& c) { return c.name == plan.quantity; });
  const auto sensing = bench::sensing_of(*place);
  const double level = at_input(sensing, plan.level);
  // A sensor that turns the sign turns the edge.
  const bool rising = (plan.slope == Slope::rising) == (sensing.per_volt > 0);
  if (auto ok = start_drive(plan, bench, lead); !ok) return tl::unexpected(ok.error());
  setting["waits_for"] = {{"quantity", plan.quantity}, {"level", plan.level}, {"patience", plan.patience}};
  return bench.capture_on({.input = int(place - plan.hookup.chains.begin()),
                                .level = level,
                                .rising = rising,
                                .hysteresis = plan.hysteresis / std::abs(sensing.per_volt),
                                .hold_off = plan.hold_off,
                                .pre_trigger = plan.before,
                                .time_out = plan.patience},
                          plan.rate, samples, stop);
}

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context) {
  const bench::AtRest at_rest{bench};
  std::vector<std::string> looked_for, names;
  const auto inputs = inputs_of(plan, bench, context.stop, looked_for);
  if (!inputs) return tl::unexpected(inputs.error());
  const auto limits = bench.limits();
  nlohmann::json about = {{"looked_for", looked_for}, {"fastest", limits.highest_sample_rate}};
  describe_hookup(about, plan.hookup, context.around.formula_values());
  // What sets the chain's speed, so that a record explains its edges.
  for (const auto& chain : plan.hookup.chains) {
    names.push_back(chain.name);
    const auto summary = bench::summarise(chain, limits.input);
    const double sensor = chain.input.sensor.bandwidth;
    about["chains"][chain.name] = {{"bandwidth", summary.bandwidth},
                                   {"slowest", sensor > 0 && sensor < 2 * summary.bandwidth
                                                   ? chain.input.sensor.name
                                                   : chain.input.bandwidth_limit ? "input's filter" : "input"}};
  }
  for (int pass = 0; pass < plan.passes; ++pass) {
    if (context.stop.stop_requested()) return tl::unexpected(stopped(pass, plan.passes));
    if (context.progress)
      context.progress({.done = pass, .total = plan.passes, .bench_seconds_left = (plan.passes - pass) * plan.length});
    // Each from rest: what the last left in the device would be in the next.
    bench.off();
    if (auto ok = bench.connect(*inputs); !ok) return ok;
    auto setting = about;
    setting["pass"] = pass;
    if (auto ok = feed(plan, bench, context.stop); !ok)
      return tl::unexpected(ok.error().fault == Fault::stopped ? stopped(pass, plan.passes) : ok.error());
    const auto read = capture(plan, bench, context.stop, setting);
    if (!read)
      return tl::unexpected(read.error().fault == Fault::stopped ? stopped(pass, plan.passes) : read.error());
    if (read->trigger_at) setting["trigger_at"] = *read->trigger_at;
    Point point{.index = pass, .setting = std::move(setting), .records = {}};
    point.records.push_back(as_record(*read, names, 0));
    if (auto ok = context.keep(point); !ok) return ok;
  }
  if (context.progress) context.progress({.done = plan.passes, .total = plan.passes, .bench_seconds_left = 0});
  return {};
}

}  // namespace heron::study::waveform
