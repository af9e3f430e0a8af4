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
    if (!p_.hookup.chains.empty())
      if (auto ok = bench_.connect(inputs(), p_.hookup.digitiser); !ok) return ok;
    for (std::size_t k = 0; k < steps_.size(); ++k) {
      tell(k, 0);
      if (context_.stop.stop_requested()) return tl::unexpected(ended_early(k, steps_.size()));
      auto point = p_.of_points() ? read_point(k) : read_record(k);
      if (!point) return tl::unexpected(point.error().fault == Fault::stopped ? ended_early(k, steps_.size()) : point.error());
      const auto trip = tripped(*point);
      if (!trip) return tl::unexpected(trip.error());
      if (*trip) point->setting = point->setting.with("tripped", (*trip)->said);
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
    bench::SupplySetup supply{.pin = p_.source_pin, .voltage = s.line, .current_limit = p_.source_limit, .sensed = p_.sensed};
    bench::LoadSetup load{.pin = p_.load_pin, .mode = p_.mode, .value = s.load, .sensed = p_.sensed};
    if (p_.method == Method::line_steps) supply = with_steps(supply, p_.lines.back());
    if (p_.method == Method::load_steps) load = with_steps(load, p_.loads.back());
    if (k == 0 || p_.rest > 0 || s.line != steps_[k - 1].line || !p_.of_points())
      if (auto ok = bench_.supply(supply); !ok) return ok;
    if (auto ok = bench_.load(load); !ok) return ok;
    down_.load = load;
    return {};
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
    auto setting = about(k);
    std::vector<Record> passes;
    std::vector<std::array<double, kPorts>> seen;
    bool agreed = p_.agree == 0;
    const double aperture = std::max(limits_.reading_time, p_.readings / p_.rate);
    for (int pass = 0; pass < (p_.agree > 0 ? kMostReadings : 1); ++pass) {
      seen.push_back({});
      if (!p_.hookup.chains.empty()) {
        const auto read = bench_.capture(p_.rate, p_.readings, context_.stop);
        if (!read) return tl::unexpected(read.error());
        passes.push_back(as_record(*read, names_, pass));
      }
      for (const auto& [key, voltage, current] : {std::tuple{kSupply, Port::vin, Port::iin}, {kLoadRead, Port::vout, Port::iout}}) {
        if (!wanted(voltage, current)) continue;
        const auto read = voltage == Port::vin ? bench_.read_supply(aperture, context_.stop) : bench_.read_load(aperture, context_.stop);
        if (!read) return tl::unexpected(read.error());
        setting[key] = kept_reading(*read);
        seen.back()[std::size_t(voltage)] = read->voltage;
        seen.back()[std::size_t(current)] = read->current;
      }
      if (!passes.empty()) {
        Point so_far{.index = int(k), .setting = setting, .records = {passes.back()}};
        const auto row = row_of(so_far);
        if (!row) return tl::unexpected(row.error());
        for (const auto port : kAllPorts) seen.back()[std::size_t(port)] = row->at(port);
      }
      const auto trip = tripped(Point{.index = int(k), .setting = setting, .records = passes});
      if (!trip) return tl::unexpected(trip.error());
      if (*trip && (*trip)->does != OnTrip::notes) break;
      if (p_.agree == 0 || seen.size() < 2) continue;
      agreed = true;
      for (const auto port : kAllPorts) {
        const double last = seen.back()[std::size_t(port)], before = seen[seen.size() - 2][std::size_t(port)];
        agreed = agreed && std::abs(last - before) <= p_.agree * std::abs(last);
      }
      if (agreed) break;
    }
    setting[kAgreed] = agreed;
    // The last two readings tell how far it still moved.
    if (passes.size() > 2) passes.erase(passes.begin(), passes.end() - 2);
    return Point{.index = int(k), .setting = std::move(setting), .records = std::move(passes)};
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
