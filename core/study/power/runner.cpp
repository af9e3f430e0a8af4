#include "study/power/runner.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "study/power/recording.h"
#include "study/quantities.h"
#include "study/ranges.h"

namespace heron::study::power {
namespace {

Error stopped(int done, int total) { return {Fault::stopped, fmt::format("Stopped after {} of {} records; what was read is kept.", done, total)}; }

/// @param lead  s until it is switched on; unset: it is on from now
Result<void> feed(const Plan& p, bench::Bench& bench, std::optional<double> lead) {
  const auto by_source = p.contact.empty() ? lead : std::nullopt;
  switch (p.feed) {
    case Feed::own: break;
    case Feed::supply:
      if (auto ok = bench.supply({.pin = p.pin, .voltage = p.supply_voltage, .current_limit = p.supply_limit, .rises_after = by_source}); !ok) return ok;
      break;
    case Feed::mains:
    case Feed::phases:
    case Feed::inverter: {
      bench::MainsSetup setup{.pins = {p.pin}, .voltage = p.voltage, .frequency = p.frequency, .resistance = p.line_resistance, .inductance = p.line_inductance, .third = p.third, .fifth = p.fifth,
                              .backwards = p.sequence == Sequence::acb, .closes_after = by_source, .angle = p.angle * std::numbers::pi / 180};
      if (p.feed == Feed::inverter) {
        setup.third = setup.fifth = 0;
        setup.carrier = p.carrier;
        setup.bus = p.bus;
      }
      if (p.three()) setup.pins.insert(setup.pins.end(), {p.pin_b, p.pin_c});
      if (auto ok = bench.mains(setup); !ok) return ok;
      break;
    }
  }
  if (lead && !p.contact.empty()) return bench.operate({.contact = p.contact, .closed = true, .after = *lead});
  return {};
}

/// Inputs as they will be used: those that look for their range find it while the device runs, on the widest.
Result<std::vector<bench::InputSetup>> inputs_of(const Plan& p, bench::Bench& bench, std::stop_token stop, std::vector<std::string>& looked_for) {
  std::vector<bench::InputSetup> out;
  for (const auto& chain : p.hookup.chains) {
    out.push_back(chain.input);
    if (!chain.input.looks_for_range()) continue;
    if (p.happens_once()) return fail(Fault::bench, "{} looks for its range by itself, and what happens once is over before it has found it.", chain.name);
    looked_for.push_back(chain.name);
  }
  if (looked_for.empty()) return out;
  const bench::AtRest at_rest{bench};
  const auto ranges = bench.limits().of(p.hookup.digitiser).ranges;
  if (auto ok = bench.connect(on_widest(out, ranges), p.hookup.digitiser); !ok) return tl::unexpected(ok.error());
  if (auto ok = feed(p, bench, {}); !ok) return tl::unexpected(ok.error());
  if (auto ok = bench.wait(p.settle_time, stop); !ok) return tl::unexpected(ok.error());
  constexpr long long kRehearsed = 1 << 18;
  const auto seen = bench.capture(p.rate, int(std::min(p.samples(), kRehearsed)), stop);
  if (!seen) return tl::unexpected(seen.error());
  std::vector<double> highest;
  for (const auto& channel : seen->channels) highest.push_back(highest_of(channel));
  fix_ranges(out, highest, ranges);
  return out;
}

nlohmann::json about(const Plan& p, const RunContext& context, const bench::Limits& limits, const std::vector<std::string>& looked_for) {
  nlohmann::json out = {{"looked_for", looked_for}, {"method", method_text(p.method)}, {"fastest", limits.highest_sample_rate}};
  describe_hookup(out, p.hookup, context.around.formula_values());
  for (const auto& chain : p.hookup.chains) out["chains"][chain.name] = {{"bandwidth", bench::summarise(chain, limits.input).bandwidth}};
  return out;
}

}  // namespace

Result<void> run(const Plan& p, bench::Bench& bench, const RunContext& context) {
  const bench::AtRest at_rest{bench};
  std::vector<std::string> looked_for, names;
  for (const auto& chain : p.hookup.chains) names.push_back(chain.name);
  const int total = p.method == Method::cycles ? p.readings : 1;
  const auto ended = [&](const Error& error, int done) { return tl::unexpected(error.fault == Fault::stopped ? stopped(done, total) : error); };
  const auto inputs = inputs_of(p, bench, context.stop, looked_for);
  if (!inputs) return ended(inputs.error(), 0);
  const auto limits = bench.limits().of(p.hookup.digitiser);
  if (auto ok = bench.connect(*inputs, p.hookup.digitiser); !ok) return ok;
  const double lead = p.before * p.length;
  if (auto ok = feed(p, bench, p.happens_once() ? std::optional(lead) : std::nullopt); !ok) return ok;
  if (!p.happens_once())
    if (auto ok = bench.wait(p.settle_time, context.stop); !ok) return ended(ok.error(), 0);
  auto setting = about(p, context, limits, looked_for);
  if (p.method == Method::recording) return record(p, bench, context, std::move(setting), names);
  for (int k = 0; k < total; ++k) {
    const auto tell = [&](double share) {
      if (context.progress) context.progress({.done = k, .total = total, .bench_seconds_left = p.seconds() * (total - k - share) / total, .share = share});
    };
    tell(0);
    if (context.stop.stop_requested()) return tl::unexpected(stopped(k, total));
    const double begun = bench.elapsed();
    const auto read = bench.capture(p.rate, int(p.samples()), context.stop);
    if (!read) return ended(read.error(), k);
    auto own = setting;
    if (p.happens_once()) own["trigger_at"] = lead - read->began;
    Point point{.index = k, .setting = std::move(own), .records = {}};
    point.records.push_back(as_record(*read, names, 0));
    if (auto ok = context.keep(point); !ok) return ok;
    tell(1);
    if (const double left = p.every - (bench.elapsed() - begun); k + 1 < total && left > 0)
      if (auto ok = bench.wait(left, context.stop); !ok) return ended(ok.error(), k + 1);
  }
  return {};
}

}  // namespace heron::study::power
