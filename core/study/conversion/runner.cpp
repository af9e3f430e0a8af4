#include "study/conversion/runner.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/conversion/assembly.h"
#include "study/conversion/words.h"
#include "study/quantities.h"
#include "study/watch_duty.h"

namespace heron::study::conversion {
namespace {

Error ended_early(std::size_t done, std::size_t total) { return {Fault::stopped, fmt::format("Stopped after {} of {} points; what was read is kept.", done, total)}; }

/// The load goes down before the source, however a run ends.
struct BroughtDown {
  bench::Bench& bench;
  std::optional<bench::LoadSetup> load = {};
  ~BroughtDown() {
    if (load && load->mode != bench::LoadMode::resistance) {
      load->value = 0;
      load->steps_to.reset();
      (void)bench.load(*load);
      (void)bench.wait(1e-3, {});
    }
    bench.off();
  }
};

/// One sweep on a bench.
class Sweep {
 public:
  Sweep(const Plan& plan, bench::Bench& bench, const RunContext& context)
      : p_(plan), bench_(bench), context_(context), limits_(bench.limits()), down_{bench}, steps_(plan.all_steps()) {
    for (const auto& chain : plan.hookup.chains) names_.push_back(chain.name);
  }

  Result<void> run() {
    if (auto ok = settings(); !ok) return ok;
    // Whatever an earlier run left on goes off first.
    bench_.off();
    if (!p_.hookup.chains.empty())
      if (auto ok = bench_.connect(inputs(), p_.hookup.digitiser); !ok) return ok;
    for (std::size_t k = 0; k < steps_.size(); ++k) {
      tell(k, 0);
      if (context_.stop.stop_requested()) return tl::unexpected(ended_early(k, steps_.size()));
      auto point = p_.of_points() ? read_point(k) : read_record(k);
      if (!point) return tl::unexpected(point.error().fault == Fault::stopped ? ended_early(k, steps_.size()) : point.error());
      const auto trip = tripped(*point);
      if (!trip) return tl::unexpected(trip.error());
      if (*trip) point->setting = point->setting.with(kTripped, (*trip)->said);
      if (auto ok = context_.keep(*point); !ok) return ok;
      if (*trip && (*trip)->does == OnTrip::ends_sweep)
        return fail(Fault::stopped, "{} at {} and {}: the sweep was ended, the load first; what was read is kept.", (*trip)->said, format_setting(steps_[k].line, "V"), load_text(steps_[k].load));
    }
    return {};
  }

 private:
  Result<void> settings() {
    auto read = settings_from_text(context_.around.settings);
    if (!read) return tl::unexpected(read.error());
    watches_ = read->watches;
    return {};
  }

  std::string load_text(double load) const { return format_setting(load, p_.mode == bench::LoadMode::current ? "A" : p_.mode == bench::LoadMode::power ? "W" : "ohm"); }

  std::vector<bench::InputSetup> inputs() const {
    std::vector<bench::InputSetup> out;
    for (const auto& chain : p_.hookup.chains) out.push_back(chain.input);
    return out;
  }

  void tell(std::size_t done, double share) const {
    if (!context_.progress) return;
    const double each = p_.seconds(limits_) / double(steps_.size());
    context_.progress({.done = int(done), .total = int(steps_.size()), .bench_seconds_left = (double(steps_.size() - done) - share) * each, .share = share});
  }

  /// By hand a person is asked first; a simulated device follows that hand.
  Result<void> tell_device(double value) {
    if (p_.told_by == TellBy::hand) {
      if (!context_.ask) return fail(Fault::usage, "{} is set by hand, and there is nobody here to ask. Let the bench set it.", p_.told);
      if (auto ok = context_.ask(fmt::format("Set {} to {}", p_.told, format_setting(value, p_.told_unit))); !ok) return ok;
    }
    return bench_.tell(p_.told, value);
  }

  /// Source and load as a point wants them; the first comes from nothing, the source before the load.
  Result<void> apply(std::size_t k) {
    const auto& s = steps_[k];
    if (s.told && (k == 0 || s.told != steps_[k - 1].told))
      if (auto ok = tell_device(*s.told); !ok) return ok;
    bench::LoadSetup load{.pin = p_.load_pin, .mode = p_.mode, .value = s.load, .sensed = p_.sensed};
    if (p_.method == Method::load_steps) load = with_steps(load, p_.loads.back());
    if (k == 0 || p_.rest > 0 || s.line != steps_[k - 1].line || !p_.of_points())
      if (auto ok = feed(s.line); !ok) return ok;
    if (auto ok = bench_.load(load); !ok) return ok;
    down_.load = load;
    return {};
  }
  Result<void> feed(double line) {
    const auto stepping = [&](auto setup) { return p_.method == Method::line_steps ? with_steps(setup, p_.lines.back()) : setup; };
    if (p_.feeder == Feeder::supply) return bench_.supply(stepping(bench::SupplySetup{.pin = p_.source_pin, .voltage = line, .current_limit = p_.source_limit, .sensed = p_.sensed}));
    return bench_.source(stepping(bench::SourceMeasureSetup{.channel = kChannel, .pin = p_.source_pin, .value = line, .compliance = p_.source_limit, .four_wire = p_.sensed, .current_range = {}, .voltage_range = {}}));
  }
  Result<bench::SourceReading> read_feed(double aperture) {
    return p_.feeder == Feeder::supply ? bench_.read_supply(aperture, context_.stop) : bench_.measure(kChannel, 0, aperture, context_.stop);
  }
  template <class Setup>
  Setup with_steps(Setup setup, double to) const {
    setup.steps_to = to;
    setup.period = p_.period;
    setup.edge = p_.edge;
    return setup;
  }

  nlohmann::json about(std::size_t k) const {
    const auto& s = steps_[k];
    nlohmann::json out = {{kLine, s.line}, {kSensed, p_.sensed}, {kStepped, !p_.of_points()}};
    if (p_.mode == bench::LoadMode::current) out[kLoad] = s.load;
    else out["load_set"] = load_text(s.load);
    if (!p_.sensed) out[kLeads] = limits_.lead_resistance;
    if (s.told && p_.told_unit == "Hz") out[kFrequency] = *s.told;
    if (s.told && p_.told_unit == "degC") out[kSurroundings] = *s.told;
    out["fastest"] = limits_.of(p_.hookup.digitiser).highest_sample_rate;
    describe_hookup(out, p_.hookup, context_.around.formula_values());
    return out;
  }

  /// Which of the four no input reads, so that source and load must.
  bool wanted(Port voltage, Port current) const {
    return !p_.sensed || !p_.hookup.unit_of(port_name(voltage)) || !p_.hookup.unit_of(port_name(current));
  }

  Result<Point> read_point(std::size_t k) {
    if (k > 0 && p_.rest > 0) {
      auto idle = *down_.load;
      if (idle.mode != bench::LoadMode::resistance) {
        idle.value = 0;
        if (auto ok = bench_.load(idle); !ok) return tl::unexpected(ok.error());
      }
      if (auto ok = bench_.wait(p_.rest, context_.stop); !ok) return tl::unexpected(ok.error());
    }
    if (auto ok = apply(k); !ok) return tl::unexpected(ok.error());
    if (auto ok = bench_.wait(p_.settle_time + (k == 0 ? p_.warm_up : 0), context_.stop); !ok) return tl::unexpected(ok.error());
    Reading so_far{.point = {.index = int(k), .setting = {}, .records = {}}, .setting = about(k), .set_at = bench_.elapsed()};
    if (!p_.thermometer.empty())
      if (auto ok = wait_for_heat(so_far); !ok) return tl::unexpected(ok.error());
    // A watch that ended it while it was waited for leaves what was read last.
    if (!so_far.ended)
      if (auto ok = read_until_it_agrees(so_far); !ok) return tl::unexpected(ok.error());
    if (so_far.watched.times.size() > 1) so_far.setting[kWatched] = kept_watched(so_far.watched);
    so_far.point.setting = std::move(so_far.setting);
    return std::move(so_far.point);
  }

  /// A point as it is being read.
  struct Reading {
    Point point;  ///< its records
    nlohmann::json setting;
    double set_at;  ///< s on the bench
    int passes = 0;
    Watched watched = {};
    bool ended = false;  ///< by a watch
  };

  /// What inputs read of it, and instruments where no input does; then what a watch says of that.
  Result<void> read_once(Reading& r) {
    std::array<double, kPorts> seen{};
    auto& records = r.point.records;
    if (!p_.hookup.chains.empty()) {
      const auto read = bench_.capture(p_.rate, p_.readings, context_.stop);
      if (!read) return tl::unexpected(read.error());
      records.push_back(as_record(*read, names_, r.passes));
    }
    ++r.passes;
    const double aperture = std::max(limits_.reading_time, p_.readings / p_.rate);
    for (const auto& [key, voltage, current] : {std::tuple{kSupply, Port::vin, Port::iin}, {kLoadRead, Port::vout, Port::iout}}) {
      if (!wanted(voltage, current)) continue;
      const auto read = voltage == Port::vin ? read_feed(aperture) : bench_.read_load(aperture, context_.stop);
      if (!read) return tl::unexpected(read.error());
      r.setting[key] = kept_reading(*read);
      seen[std::size_t(voltage)] = read->voltage;
      seen[std::size_t(current)] = read->current;
    }
    const Point now{.index = r.point.index, .setting = r.setting, .records = records};
    if (!records.empty()) {
      const auto row = row_of({.index = now.index, .setting = now.setting, .records = {records.back()}});
      if (!row) return tl::unexpected(row.error());
      for (const auto port : kAllPorts) seen[std::size_t(port)] = row->at(port);
    }
    r.watched.times.push_back(bench_.elapsed() - r.set_at);
    for (const auto port : kAllPorts) r.watched.read[std::size_t(port)].push_back(seen[std::size_t(port)]);
    const auto trip = tripped(now);
    if (!trip) return tl::unexpected(trip.error());
    if (*trip) r.setting.emplace(kTripped, (*trip)->said);
    r.ended = *trip && (*trip)->does != OnTrip::notes;
    return {};
  }

  Result<void> read_until_it_agrees(Reading& r) {
    const int most = p_.agree > 0 ? kMostReadings : 1;
    bool agreed = p_.agree == 0;
    for (int n = 0; n < most && !r.ended && !(agreed && n > 0); ++n) {
      if (auto ok = read_once(r); !ok) return ok;
      if (n == 0) continue;
      agreed = std::all_of(kAllPorts.begin(), kAllPorts.end(), [&](Port port) {
        const auto& all = r.watched.read[std::size_t(port)];
        const double last = all.back(), before = all[all.size() - 2];
        return std::abs(last - before) <= p_.agree * std::abs(last);
      });
    }
    r.setting[kAgreed] = agreed;
    // The last two readings tell how far it still moved.
    auto& records = r.point.records;
    if (records.size() > 2) records.erase(records.begin(), records.end() - 2);
    return {};
  }

  /// Until the temperature moves slowly enough over its last few readings, or for as long as anybody waits. All else is
  /// read beside it, so that watches see what happens meanwhile; of that only the numbers are kept.
  Result<void> wait_for_heat(Reading& r) {
    Warming out{.place = p_.thermometer, .rests = false};
    for (;;) {
      const auto read = bench_.read_temperature(p_.thermometer, context_.stop);
      if (!read) return tl::unexpected(read.error());
      out.times.push_back(bench_.elapsed() - r.set_at);
      out.read.push_back(read->value);
      out.u = read->u;
      if (out.read.size() >= kRestsOver) {
        const auto before = out.read.size() - kRestsOver;
        constexpr double kMinute = 60;
        out.by = kMinute * (out.read.back() - out.read[before]) / (out.times.back() - out.times[before]);
        out.rests = std::abs(out.by) < p_.rests_within;
        if (out.rests || out.times.back() > kMostWarming) break;
      }
      r.point.records.clear();
      if (auto ok = read_once(r); !ok) return ok;
      if (r.ended) break;
      if (auto ok = bench_.wait(kTemperatureEvery, context_.stop); !ok) return ok;
    }
    r.setting[kWarming] = kept_warming(out);
    if (r.ended) return {};
    r.point.records.clear();
    r.passes = 0;
    return {};
  }

  Result<Row> row_of(const Point& point) const {
    Assembly assembly{Settings()};
    if (auto ok = assembly.add(point); !ok) return tl::unexpected(ok.error());
    if (assembly.rows().empty()) return fail(Fault::bench, "A point has no reading.");
    return assembly.rows().front();
  }

  Result<Point> read_record(std::size_t k) {
    if (auto ok = apply(k); !ok) return tl::unexpected(ok.error());
    if (auto ok = bench_.wait(p_.settle_time + (k == 0 ? p_.warm_up : 0), context_.stop); !ok) return tl::unexpected(ok.error());
    const auto read = bench_.capture(p_.rate, int(p_.samples()), context_.stop);
    if (!read) return tl::unexpected(read.error());
    Point out{.index = int(k), .setting = about(k), .records = {}};
    out.records.push_back(as_record(*read, names_, 0));
    return out;
  }

  struct Tripped {
    std::string said;  ///< "The watch rail tripped: vout was 4.31 V"
    OnTrip does = OnTrip::notes;
  };

  /// Of the watches that tripped the one that does most.
  Result<std::optional<Tripped>> tripped(const Point& point) const {
    std::optional<Tripped> out;
    if (watches_.empty()) return out;
    WaveformsPtr record;
    if (!point.records.empty()) {
      auto read = waveforms_of(point, {}, {}, point.records.size() - 1);
      if (!read) return tl::unexpected(read.error());
      record = std::move(*read);
    }
    const auto row = p_.of_points() ? row_of(point) : Result<Row>(Row());
    if (!row) return tl::unexpected(row.error());
    for (const auto& watch : watches_) {
      const auto does = watch.on_trip.value_or(p_.on_trip);
      std::string what;
      if (const auto at = record ? record->watched(watch) : 0; record && at < record->traces.size()) {
        const auto trip = first_trip(*record, std::span(&watch, 1));
        if (!trip) return tl::unexpected(trip.error());
        if (*trip) what = trip_text(**trip, record->traces[at]->name, record->traces[at]->unit);
      } else if (p_.of_points()) {
        for (const auto port : kAllPorts)
          if (watch.quantity == port_name(port) && (watch.over ? row->at(port) > watch.limit : row->at(port) < watch.limit))
            what = fmt::format("{} was {}", watch.quantity, format_quantity(row->at(port), port_unit(port), 4).plain());
      }
      if (!what.empty() && context_.tripped) context_.tripped(watch);
      if (!what.empty() && (!out || does > out->does)) out = Tripped{fmt::format("The watch {} tripped: {}", watch.name, what), does};
    }
    return out;
  }

  static constexpr int kChannel = 0;
  static constexpr const char* kTripped = "tripped";

  const Plan& p_;
  bench::Bench& bench_;
  const RunContext& context_;
  bench::Limits limits_;
  BroughtDown down_;
  std::vector<Plan::Step> steps_;
  std::vector<std::string> names_;
  std::vector<Watch> watches_;
};

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const RunContext& context) { return Sweep(plan, bench, context).run(); }

}  // namespace heron::study::conversion
