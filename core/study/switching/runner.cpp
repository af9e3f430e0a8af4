#include "study/switching/runner.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/quantities.h"
#include "study/switching/reduced.h"
#include "study/switching/settings.h"

namespace heron::study::switching {
namespace {

constexpr double kReading = 20e-3;    ///< s of a reading of the bus
constexpr double kCharged = 0.01;     ///< of the voltage, that the bus reads when it is charged
constexpr double kLongest = 30;       ///< s beyond what charging or emptying should take
constexpr double kEmptying = 0.1;     ///< s that are waited between readings while it empties

Error stopped(std::size_t done, std::size_t total) { return {Fault::stopped, fmt::format("Stopped after {} of {} shots; what was read is kept.", done, total)}; }

/// Everything off, the gates first by their pulses' end; then the bus is watched until it reads safe, whoever stops.
class Emptied {
 public:
  Emptied(bench::Bench& bench, const RunContext& context, double safe, std::size_t total) : total_(int(total)), bench_(bench), context_(context), safe_(safe) {}
  Emptied(const Emptied&) = delete;
  Emptied& operator=(const Emptied&) = delete;
  ~Emptied() {
    bench_.off();
    if (!charged) return;
    const double begun = bench_.elapsed();
    for (;;) {
      const auto read = bench_.read_bus(kReading, {});
      if (!read) {
        tell("The bus cannot be read: " + read.error().message + " Do not touch it.");
        return;
      }
      const auto reads = format_quantity(read->voltage, "V", 2).plain();
      const bool safe = read->voltage + 2 * read->u_voltage < safe_;
      if (safe) tell(fmt::format("The bus is empty: it reads {}, below the {} that are safe.", reads, format_setting(safe_, "V")));
      else if (bench_.elapsed() - begun > kLongest) tell(fmt::format("The bus still reads {}. Do not touch it; find what feeds it.", reads));
      if (safe || bench_.elapsed() - begun > kLongest) return;
      if (context_.progress) context_.progress({.done = done, .total = total_, .waits = fmt::format("for the bus to empty; it reads {}", reads)});
      if (!bench_.wait(kEmptying, {})) {
        tell("The bus cannot be watched. Do not touch it.");
        return;
      }
    }
  }

  bool charged = false;
  int done = 0;

 private:
  int total_;
  void tell(const std::string& text) const {
    if (context_.say) context_.say(text);
  }
  bench::Bench& bench_;
  const RunContext& context_;
  double safe_;
};

class Shots {
 public:
  Shots(const Plan& plan, bench::Bench& bench, const RunContext& context, double safe)
      : p_(plan), bench_(bench), context_(context), limits_(bench.limits().of(plan.hookup.digitiser)), steps_(plan.steps()), total_(steps_.size() * std::size_t(plan.shots)), emptied_(bench, context, safe, total_) {
    for (const auto& chain : plan.hookup.chains) names_.push_back(chain.name);
  }

  Result<void> run() {
    std::vector<bench::InputSetup> inputs;
    for (const auto& chain : p_.hookup.chains) {
      if (chain.input.looks_for_range()) return fail(Fault::bench, "{} looks for its range by itself, and a shot is over before it has found it.", chain.name);
      inputs.push_back(chain.input);
    }
    if (auto ok = bench_.connect(inputs, p_.hookup.digitiser); !ok) return ok;
    for (std::size_t k = 0; k < steps_.size(); ++k) {
      if (auto ok = prepare(k); !ok) return ended(ok.error());
      for (int shot = 0; shot < p_.shots; ++shot)
        if (auto ok = fire(k); !ok) return ended(ok.error());
    }
    return {};
  }

 private:
  Result<void> ended(const Error& error) const { return tl::unexpected(error.fault == Fault::stopped ? stopped(done_, total_) : error); }

  void tell(std::string waits = {}) {
    emptied_.done = int(done_);
    if (context_.progress) context_.progress({.done = int(done_), .total = int(total_), .bench_seconds_left = p_.seconds(bench_.limits()) * double(total_ - done_) / double(total_), .waits = std::move(waits)});
  }

  bench::GateSetup gate(const std::string& pin, const std::string& against, const Plan::Step& s) const {
    return {.pin = pin, .against = against, .low = p_.gate_low, .high = p_.gate_high, .on_resistance = s.resistor, .off_resistance = p_.off_resistance(s)};
  }

  /// Both gates, with the pulses of a shot or at rest.
  std::vector<bench::GateSetup> gates(const Plan::Step& s, bool pulses) const {
    std::vector<bench::GateSetup> out = {gate(p_.gate_pin, p_.gate_against, s)};
    if (p_.other != Other::alone) out.push_back(gate(p_.other_pin, p_.other_against, s));
    if (!pulses) return out;
    const double a = p_.before, b = a + p_.first(s), c = b + p_.gap, d = c + p_.second;
    out[0].pulses = {{a, b}, {c, d}};
    if (p_.other == Other::opposite) out[1].pulses = {{b + p_.dead_time, c - p_.dead_time}};
    return out;
  }

  /// Temperature, gates at rest, then the bus until it reads what is wanted.
  Result<void> prepare(std::size_t k) {
    const auto& s = steps_[k];
    if (context_.stop.stop_requested()) return tl::unexpected(stopped(done_, total_));
    if (s.temperature && (k == 0 || s.temperature != steps_[k - 1].temperature))
      if (auto ok = bench_.tell(bench::kTemperature, *s.temperature); !ok) return ok;
    if (auto ok = bench_.gates(gates(s, false)); !ok) return ok;
    if (auto ok = bench_.charge({.pin = p_.bus_pin, .voltage = s.bus}); !ok) return ok;
    emptied_.charged = true;
    const double begun = bench_.elapsed(), expected = p_.capacitance * s.bus / std::max(1e-3, bench_.limits().bus_current);
    for (;;) {
      const auto read = bench_.read_bus(kReading, context_.stop);
      if (!read) return tl::unexpected(read.error());
      // A bus that was higher comes down through what hangs on it.
      if (std::abs(read->voltage - s.bus) < kCharged * s.bus + 3 * read->u_voltage) return {};
      const auto reads = format_quantity(read->voltage, "V", 3).plain();
      tell(fmt::format("for the bus to reach {}; it reads {}", format_setting(s.bus, "V"), reads));
      if (bench_.elapsed() - begun > kLongest + 3 * expected) return fail(Fault::bench, "The bus reads {} and does not come to {}: something holds it.", reads, format_setting(s.bus, "V"));
      if (auto ok = bench_.wait(kReading, context_.stop); !ok) return ok;
      // Down it must be emptied; the source only gives.
      if (read->voltage > s.bus * (1 + kCharged)) {
        bench_.off();
        if (auto ok = bench_.wait(kReading, context_.stop); !ok) return ok;
        if (auto ok = bench_.gates(gates(s, false)); !ok) return ok;
        const auto now = bench_.read_bus(kReading, context_.stop);
        if (!now) return tl::unexpected(now.error());
        if (now->voltage < s.bus)
          if (auto ok = bench_.charge({.pin = p_.bus_pin, .voltage = s.bus}); !ok) return ok;
      }
    }
  }

  nlohmann::json about(const Plan::Step& s) const {
    nlohmann::json out = {{kBus, s.bus}, {kCurrent, s.current}, {kResistor, s.resistor}, {"fastest", limits_.highest_sample_rate}};
    if (s.temperature) out[kTemperature] = *s.temperature;
    describe_hookup(out, p_.hookup, context_.around.formula_values());
    for (const auto& chain : p_.hookup.chains) {
      const double whole = bench::summarise(chain, limits_.input).bandwidth;
      out["chains"][chain.name] = {{"bandwidth", whole}, {"slowest", chain.input.sensor.bandwidth > 0 && chain.input.sensor.bandwidth < 1.5 * whole ? chain.input.sensor.name : std::string("the input")}};
    }
    return out;
  }

  Result<void> fire(std::size_t k) {
    const auto& s = steps_[k];
    tell();
    if (context_.stop.stop_requested()) return tl::unexpected(stopped(done_, total_));
    const double begun = bench_.elapsed();
    if (auto ok = bench_.gates(gates(s, true)); !ok) return ok;
    const auto read = bench_.capture(p_.rate, int(p_.samples(s)), context_.stop);
    if (!read) return tl::unexpected(read.error());
    if (auto ok = bench_.gates(gates(s, false)); !ok) return ok;
    auto setting = about(s);
    setting["trigger_at"] = p_.before - read->began;
    Point point{.index = int(done_), .setting = std::move(setting), .records = {}};
    point.records.push_back(as_record(*read, names_, 0));
    if (auto ok = context_.keep(point); !ok) return ok;
    ++done_;
    tell();
    if (const double left = p_.rest - (bench_.elapsed() - begun); done_ < total_ && left > 0) return bench_.wait(left, context_.stop);
    return {};
  }

  const Plan& p_;
  bench::Bench& bench_;
  const RunContext& context_;
  bench::Limits limits_;
  std::vector<Plan::Step> steps_;
  std::size_t total_, done_ = 0;
  Emptied emptied_;
  std::vector<std::string> names_;
};

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context) {
  const auto settings = settings_from_text(context.around.settings);
  if (!settings) return tl::unexpected(settings.error());
  return Shots(plan, bench, context, settings->safe_voltage).run();
}

}  // namespace heron::study::switching
