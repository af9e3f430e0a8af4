#include "study/waveform/runner.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/feed.h"
#include "study/quantities.h"
#include "study/ranges.h"
#include "study/watch_duty.h"
#include "study/waveform/preflight.h"
#include "study/waveform/settings.h"
#include "study/waveforms.h"

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

Result<void> feed(const Plan& plan, bench::Bench& bench, std::stop_token stop) {
  return study::feed(bench, plan.feed_pin, plan.feed_voltage, plan.feed_limit, plan.feed_time, stop);
}

/// Inputs as they will be used. Those without a range get the smallest that a rehearsal fits into, on the widest range:
/// what a single event needs cannot be looked for while it happens.
Result<std::vector<bench::InputSetup>> inputs_of(const Plan& plan, bench::Bench& bench, std::stop_token stop,
                                                 std::vector<std::string>& looked_for) {
  std::vector<bench::InputSetup> out;
  for (const auto& chain : plan.hookup.chains) {
    out.push_back(chain.input);
    if (!chain.input.looks_for_range()) continue;
    if (!plan.may_rehearse())
      return fail(Fault::bench, "{} looks for its range by itself, and what happens once is over before it has found it.",
                  chain.name);
    looked_for.push_back(chain.name);
  }
  if (looked_for.empty()) return out;
  const bench::AtRest at_rest{bench};
  const auto ranges = bench.limits().of(plan.hookup.digitiser).ranges;
  if (auto ok = bench.connect(on_widest(out, ranges), plan.hookup.digitiser); !ok) return tl::unexpected(ok.error());
  if (auto ok = feed(plan, bench, stop); !ok) return tl::unexpected(ok.error());
  if (auto ok = start_drive(plan, bench, 0); !ok) return tl::unexpected(ok.error());
  const auto seen = bench.capture(plan.rate, int(std::min(plan.samples(), kInMemory)), stop);
  if (!seen) return tl::unexpected(seen.error());
  std::vector<double> highest;
  for (const auto& channel : seen->channels) highest.push_back(highest_of(channel));
  fix_ranges(out, highest, ranges);
  return out;
}

/// s that the drive rests before it moves.
double lead_of(const Plan& plan) { return plan.before * plan.length; }

/// The level of a quantity as volts at its input.
double at_input(const bench::Sensing& sensing, double level) { return level / sensing.per_volt + sensing.zero; }

/// What a record begins with, as the bench looks for it.
bench::TriggerSetup trigger_of(const Plan& plan) {
  using Event = bench::TriggerSetup::Event;
  const auto place = std::find_if(plan.hookup.chains.begin(), plan.hookup.chains.end(),
                                  [&](const bench::Chain& c) { return c.name == plan.quantity; });
  const auto sensing = bench::sensing_of(*place);
  return {.input = int(place - plan.hookup.chains.begin()),
          .level = at_input(sensing, plan.level),
          // A sensor that turns the sign turns the edge.
          .rising = (plan.slope == Slope::rising) == (sensing.per_volt > 0),
          .event = plan.when == When::narrow_pulse ? Event::narrower
                   : plan.when == When::wide_pulse ? Event::wider
                                                   : Event::edge,
          .width = plan.pulse_width,
          .hysteresis = plan.hysteresis / std::abs(sensing.per_volt),
          .hold_off = plan.hold_off,
          .pre_trigger = plan.before,
          .time_out = plan.patience};
}

/// "v_cap to fall through 4.4 V; it is between 0.02 V and 0.03 V"
std::string waiting_for(const Plan& plan, double low, double high) {
  const auto* chain = plan.hookup.find(plan.quantity);
  const auto sensing = bench::sensing_of(*chain);
  double a = (low - sensing.zero) * sensing.per_volt, b = (high - sensing.zero) * sensing.per_volt;
  if (a > b) std::swap(a, b);
  const bool up = plan.slope == Slope::rising;
  const auto wanted =
      plan.for_pulse()
          ? fmt::format("a pulse of {} {} {}, {} than {}", plan.quantity, up ? "above" : "below", format_setting(plan.level, sensing.unit),
                        plan.when == When::narrow_pulse ? "narrower" : "wider", format_setting(plan.pulse_width, "s"))
          : fmt::format("{} to {} through {}", plan.quantity, up ? "rise" : "fall", format_setting(plan.level, sensing.unit));
  return fmt::format("{}; it is between {} and {}", wanted, format_quantity(a, sensing.unit, 3).plain(),
                     format_quantity(b, sensing.unit, 3).plain());
}

/// What has come so far, longer by a stretch.
void append(bench::Capture& so_far, const bench::Capture& stretch) {
  if (so_far.channels.empty()) {
    so_far = stretch;
    return;
  }
  for (std::size_t k = 0; k < stretch.channels.size(); ++k) {
    auto& counts = so_far.channels[k].counts;
    counts.insert(counts.end(), stretch.channels[k].counts.begin(), stretch.channels[k].counts.end());
  }
}

/// One record after another, each whole in memory or stored while it comes.
class Run {
 public:
  Run(const Plan& plan, bench::Bench& bench, const RunContext& context, nlohmann::json about, std::vector<std::string> names, const std::vector<Watch>& watches)
      : plan_(plan), bench_(bench), context_(context), about_(std::move(about)), names_(std::move(names)), watches_(watches) {
    for (const auto& chain : plan.hookup.chains) {
      sensing_.push_back(bench::sensing_of(chain));
      watchable_.push_back({chain.name, std::string(sensing_.back().unit)});
    }
  }

  /// @return the record, where it was not stored while it came
  Result<std::optional<Point>> read(int pass);
  /// The watch that ended the last record before it was whole.
  std::optional<Trip> ended_by() const { return duty_ ? duty_->ends() : std::nullopt; }

 private:
  bool in_memory() const { return plan_.keep == Keep::tripped || !context_.record || plan_.samples() <= kInMemory; }
  /// Where nobody could tell a stretch from the whole, it is read in one go.
  bool comes_slowly() const { return context_.so_far && bench_.limits().paced && plan_.length > kSlow; }
  Point head(const bench::Capture& of) const;
  Result<void> take_stretch(const bench::Capture& stretch);
  void roll(const bench::Capture& stretch);
  void tell(double share, std::string waits = {}) const;

  static constexpr double kSlow = 0.3;  ///< s, from which on a record is shown while it comes
  static constexpr std::size_t kRolled = std::size_t(1) << 18;  ///< samples of it that are shown

  const Plan& plan_;
  bench::Bench& bench_;
  const RunContext& context_;
  nlohmann::json about_;
  std::vector<std::string> names_;
  const std::vector<Watch>& watches_;
  std::vector<bench::Sensing> sensing_;
  std::vector<WatchDuty::Quantity> watchable_;
  std::optional<WatchDuty> duty_;  ///< where a watch may end a record
  int pass_ = 0;
  nlohmann::json setting_;
  std::unique_ptr<Recorder> recorder_;
  bench::Capture seen_;       ///< the latest samples of what is being read
  std::size_t dropped_ = 0;   ///< samples before them
  long long came_ = 0;        ///< samples so far
};

Point Run::head(const bench::Capture& of) const {
  auto setting = setting_;
  if (const auto at = plan_.when == When::start ? std::optional(lead_of(plan_) - of.began) : of.trigger_at) setting["trigger_at"] = *at;
  Point point{.index = pass_, .setting = std::move(setting), .records = {}};
  point.records.push_back(as_record(of, names_, 0));
  return point;
}

void Run::tell(double share, std::string waits) const {
  if (!context_.progress) return;
  context_.progress({.done = pass_,
                     .total = plan_.passes,
                     .bench_seconds_left = (plan_.passes - pass_ - share) * plan_.length,
                     .share = share,
                     .waits = std::move(waits)});
}

void Run::roll(const bench::Capture& stretch) {
  append(seen_, stretch);
  if (const auto size = seen_.channels.front().counts.size(); size > 2 * kRolled) {
    dropped_ += size - kRolled;
    for (auto& channel : seen_.channels)
      channel.counts.erase(channel.counts.begin(), channel.counts.end() - std::ptrdiff_t(kRolled));
  }
  auto point = head(seen_);
  if (dropped_ > 0) {
    const double gone = double(dropped_) / seen_.sample_rate;
    point.setting = point.setting.with("trigger_at", point.setting.json().value("trigger_at", 0.0) - gone);
  }
  context_.so_far(point);
}

Result<void> Run::take_stretch(const bench::Capture& stretch) {
  if (!in_memory()) {
    if (!recorder_) {
      auto without = stretch;
      for (auto& channel : without.channels) channel.counts.clear();
      auto begun = context_.record(head(without));
      if (!begun) return tl::unexpected(begun.error());
      recorder_ = std::move(*begun);
    }
    if (auto ok = recorder_->add(stretch); !ok) return ok;
  }
  came_ += static_cast<long long>(stretch.channels.front().counts.size());
  tell(double(came_) / double(plan_.samples()));
  if (comes_slowly()) roll(stretch);
  if (!duty_) return {};
  for (std::size_t k = 0; k < sensing_.size(); ++k) duty_->add(k, in_quantity(stretch.channels[k], sensing_[k]));
  return duty_->ends() ? fail(Fault::stopped, "A watch ended the record.") : Result<void>{};
}

Result<std::optional<Point>> Run::read(int pass) {
  pass_ = pass;
  setting_ = about_;
  setting_["pass"] = pass;
  recorder_.reset();
  seen_ = {};
  dropped_ = 0;
  came_ = 0;
  duty_.reset();
  if (std::any_of(watches_.begin(), watches_.end(), [](const Watch& w) { return w.on_trip.value_or(OnTrip::notes) != OnTrip::notes; }))
    duty_.emplace(watches_, watchable_, TimeBase(0, 1 / bench_.nearest_rate(plan_.rate)));
  tell(0);
  const int samples = int(plan_.samples());
  bench::Capture whole;
  bench::StretchSink sink;
  if (!in_memory() || comes_slowly() || duty_)
    sink = [&](const bench::Capture& stretch) -> Result<void> {
      if (in_memory()) append(whole, stretch);
      return take_stretch(stretch);
    };
  Result<bench::Capture> read;
  if (!plan_.waits()) {
    if (auto ok = start_drive(plan_, bench_, plan_.when == When::start ? lead_of(plan_) : 0); !ok) return tl::unexpected(ok.error());
    read = bench_.capture(plan_.rate, samples, context_.stop, sink);
  } else {
    setting_["waits_for"] = {{"quantity", plan_.quantity}, {"level", plan_.level}, {"patience", plan_.patience}};
    if (plan_.for_pulse()) setting_["waits_for"]["pulse"] = plan_.pulse_width;
    if (auto ok = start_drive(plan_, bench_, lead_of(plan_)); !ok) return tl::unexpected(ok.error());
    auto trigger = trigger_of(plan_);
    trigger.waiting = [&](double low, double high) { tell(0, waiting_for(plan_, low, high)); };
    read = bench_.capture_on(trigger, plan_.rate, samples, context_.stop, sink);
  }
  // What came before it was stopped is kept.
  if (!read && !(read.error().fault == Fault::stopped && came_ > 0)) return tl::unexpected(read.error());
  if (recorder_) {
    if (auto ok = recorder_->done(); !ok) return tl::unexpected(ok.error());
    recorder_.reset();
    if (!read && !ended_by()) return tl::unexpected(read.error());
    return std::optional<Point>();
  }
  return head(sink ? whole : *read);
}

/// The first watch that trips in a record.
Result<std::optional<Trip>> trip_of(const Point& point, const Settings& settings) {
  const auto waveforms = waveforms_of(point, settings);
  if (!waveforms) return tl::unexpected(waveforms.error());
  return first_trip(**waveforms, settings.watches);
}

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context) {
  const bench::AtRest at_rest{bench};
  const auto settings = settings_from_text(context.around.settings);
  if (!settings) return tl::unexpected(settings.error());
  std::vector<std::string> looked_for, names;
  const auto inputs = inputs_of(plan, bench, context.stop, looked_for);
  if (!inputs) return tl::unexpected(inputs.error());
  const auto limits = bench.limits().of(plan.hookup.digitiser);
  nlohmann::json about = {{"looked_for", looked_for}, {"fastest", limits.highest_sample_rate}};
  describe_hookup(about, plan.hookup, context.around.formula_values());
  // How far each should move, so that one that does not is told from one that is not connected.
  // What the inputs could not show is no swing: a circuit made linear knows no rails. A surge's peak is none either.
  if (const auto levels = plan.drive == Drive::generator ? predict(plan, context.around) : std::nullopt)
    for (const auto& chain : plan.hookup.chains)
      if (const auto it = levels->quantities.find(chain.name); it != levels->quantities.end())
        about["expected"][chain.name] = std::min(2 * it->second.peak, 2 * bench::summarise(chain, limits.input).full_scale);
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
  Run records(plan, bench, context, std::move(about), std::move(names), settings->watches);
  const auto ended = [&](const Error& error, int pass) {
    return tl::unexpected(error.fault == Fault::stopped ? stopped(pass, plan.passes) : error);
  };
  for (int pass = 0; pass < plan.passes; ++pass) {
    if (context.stop.stop_requested()) return tl::unexpected(stopped(pass, plan.passes));
    // Each from rest: what the last left in the device would be in the next.
    bench.off();
    if (auto ok = bench.connect(*inputs, plan.hookup.digitiser); !ok) return ok;
    if (auto ok = feed(plan, bench, context.stop); !ok) return ended(ok.error(), pass);
    const auto point = records.read(pass);
    if (!point) return ended(point.error(), pass);
    if (*point) {
      if (plan.keep == Keep::tripped) {
        const auto trip = trip_of(**point, *settings);
        if (!trip) return tl::unexpected(trip.error());
        if (context.so_far) context.so_far(**point);
        if (!*trip) continue;
      }
      auto kept = **point;
      if (const auto by = records.ended_by()) kept.setting = kept.setting.with("ended_by", by->watch->name);
      if (auto ok = context.keep(kept); !ok) return ok;
      const auto came = (*point)->records.front().channels.front().size();
      if (static_cast<long long>(came) < plan.samples() && !records.ended_by()) return tl::unexpected(stopped(pass, plan.passes));
    }
    if (const auto by = records.ended_by(); by && by->watch->on_trip == OnTrip::ends_sweep)
      return fail(Fault::stopped, "The watch {} tripped in record {}: {}. Nothing more was read; what was is kept.", by->watch->name, pass + 1,
                  trip_text(*by, plan.hookup.chains[by->quantity].name, bench::sensing_of(plan.hookup.chains[by->quantity]).unit));
    if (plan.keep == Keep::tripped) return {};
  }
  if (context.progress) context.progress({.done = plan.passes, .total = plan.passes, .bench_seconds_left = 0});
  if (plan.keep == Keep::tripped)
    return fail(Fault::stopped, "No watch tripped in {} records; nothing was kept.", plan.passes);
  return {};
}

}  // namespace heron::study::waveform
