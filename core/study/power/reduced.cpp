#include "study/power/reduced.h"

#include <algorithm>
#include <cmath>

#include "study/power/doubts.h"
#include "study/power/limits.h"
#include "study/power/steady.h"

namespace heron::study::power {
namespace {

constexpr std::size_t kQuickSamples = 200'000;
constexpr std::size_t kCurvePoints = 8192, kSmallPoints = 128;

class PowerReducer final : public Reducer {
 public:
  explicit PowerReducer(Settings settings) : settings_(std::move(settings)) {}

  Result<void> add(const Point& point) override {
    const auto& setting = point.setting.json();
    if (const auto method = method_of(setting.value("method", std::string()))) method_ = *method;
    if (setting.contains(kReadings)) {
      if (point.records.size() != 1) return fail(Fault::input, "Point {} has no readings.", point.index + 1);
      return trend_.add(point.records.front(), setting, point.index);
    }
    for (std::size_t k = 0; k < point.records.size(); ++k) {
      auto one = waveforms_of(point, settings_, k);
      if (!one) return tl::unexpected(one.error());
      records_.push_back(std::move(*one));
    }
    return {};
  }
  Result<ReducedPtr> so_far() const override {
    if (records_.empty() && trend_.empty()) return fail(Fault::input, "There is no record.");
    return std::make_shared<const ReducedPower>(records_, trend_, method_, settings_);
  }

 private:
  Settings settings_;
  std::vector<WaveformsPtr> records_;
  Trend trend_;
  Method method_ = Method::cycles;
};

/// The mean of each figure over the records that have it; what they have in common does not average out.
Reading mean_of(std::vector<Reading> all) {
  if (all.size() < 2) return all.empty() ? Reading{} : std::move(all.front());
  std::vector<int> numbers;
  for (std::size_t k = 0; k < all.size(); ++k) numbers.push_back(int(k));
  Reading out;
  for (const auto& one : repeated(all, numbers)) {
    Figure mean = *all[std::size_t(one.passes.front())].find(one.key);
    mean.value = one.mean;
    const double u = std::hypot(mean.u.value_or(0), one.sigma.value_or(0) / std::sqrt(double(one.values.size())));
    mean.u = u > 0 ? std::optional(u) : std::nullopt;
    out.figures.push_back(std::move(mean));
  }
  for (auto& absent : all.front().absent)
    if (!out.find(absent.key)) out.absent.push_back(std::move(absent));
  return out;
}

/// Of a recording: the watches of its log, and every reading's mean.
void read_trend(const Trend& trend, const Settings& settings, Reading& into) {
  for (const auto& watch : settings.watches) {
    std::vector<Excursion> all;
    std::string unit = watch.unit;
    for (const auto& e : trend.log)
      if (e.watch == watch.name) {
        all.push_back({e.from, e.to, e.extreme, e.from});
        unit = e.unit;
      }
    std::erase_if(into.absent, [&](const Absent& a) { return a.key.starts_with("watch." + watch.name + "."); });
    std::erase_if(into.figures, [&](const Figure& f) { return f.key.starts_with("watch." + watch.name + "."); });
    watch_figures(watch, all, unit, into);
  }
}

void add_column(Columns& out, std::string name, std::string unit, std::vector<double> y) { out.columns.push_back({std::move(name), std::move(unit), std::move(y), {}}); }

/// Names of channels as they stand in curves: of one phase "harmonic.current", of three "harmonic.current at a".
std::string channel_name(const char* of, std::size_t phases, std::size_t phase) { return phases == 3 ? std::string(of) + " at " + kPhases[phase] : std::string(of); }

/// Harmonics of voltages and currents over their order.
Columns harmonics(const Measured& m) {
  Columns out{.x_name = "order", .x_unit = "1", .logarithmic = false, .x = {}};
  const auto s = by_phase(m.statistics);
  for (int h = 1; h <= s.orders(); ++h) out.x.push_back(h);
  for (std::size_t k = 0; k < s.channels(); ++k) {
    const bool voltage = s.has_voltage && k < s.phases;
    std::vector<double> y;
    for (const auto& x : s.phasor[k]) y.push_back(std::abs(x) / std::sqrt(2.0));
    add_column(out, channel_name(voltage ? "harmonic.voltage" : "harmonic.current", s.phases, k % s.phases), voltage ? "V" : "A", std::move(y));
  }
  return out;
}

/// The sliding rms over time.
Columns sliding(const std::vector<Inrush>& all, std::size_t most) {
  Columns out{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {}};
  for (std::size_t c = 0; c < all.size(); ++c) {
    const auto& in = all[c];
    const auto every = std::max<std::size_t>(1, in.values().size() / most);
    std::vector<double> y;
    for (std::size_t k = 0; k < in.values().size(); k += every)
      if (const auto rms = in.rms_about(k)) {
        if (c == 0) out.x.push_back(in.start() + double(k) * in.step());
        y.push_back(*rms);
      }
    add_column(out, channel_name("current.half_cycle", all.size(), c), "A", std::move(y));
  }
  return out;
}

/// A current by the mean of short stretches.
Columns over_time(const PowerRecord& record, std::size_t most) {
  Columns out{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {}};
  const auto& trace = *record.record->traces[record.wiring.currents.front().trace];
  const auto ranges = trace.envelope(0, trace.size(), most / 2);
  if (!ranges) return out;
  std::vector<double> y;
  for (std::size_t k = 0; k < ranges->size(); ++k) {
    const double places = double(trace.size()) / double(ranges->size());
    for (const bool high : {false, true}) {
      out.x.push_back(trace.time.at_place((double(k) + (high ? 0.75 : 0.25)) * places));
      y.push_back(high ? (*ranges)[k].high : (*ranges)[k].low);
    }
  }
  add_column(out, "current", "A", std::move(y));
  return out;
}

Columns readings_of(const Trend& trend, std::size_t most) {
  Columns out{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {}};
  const auto every = std::max<std::size_t>(1, (trend.time.size() + most - 1) / most);
  for (std::size_t k = 0; k < trend.time.size(); k += every) out.x.push_back(trend.time[k]);
  for (const auto& c : trend.columns) {
    std::vector<double> y;
    for (std::size_t k = 0; k < c.values.size(); k += every) y.push_back(c.values[k]);
    add_column(out, c.name, c.unit, std::move(y));
  }
  return out;
}

}  // namespace

Result<std::vector<PowerRecordPtr>> ReducedPower::read_records(const Settings& settings) const {
  return last_.with(as_text(settings), [&]() -> Result<std::vector<PowerRecordPtr>> {
    std::vector<PowerRecordPtr> out;
    for (const auto& record : records_) {
      auto one = read_record(record, settings, method_);
      if (!one) return tl::unexpected(one.error());
      out.push_back(std::move(*one));
    }
    return out;
  });
}

Columns ReducedPower::curve(const std::vector<PowerRecordPtr>& records, const Settings& settings, std::size_t most) const {
  if (!trend_.empty() && method(settings) == Method::recording) return readings_of(trend_, most);
  if (records.empty()) return {.x_name = "time", .x_unit = "s", .logarithmic = false};
  const auto& last = *records.back();
  if (last.profile) return over_time(last, most);
  if (last.method == Method::switch_on || !last.measured) return last.inrush.empty() ? Columns{.x_name = "time", .x_unit = "s", .logarithmic = false} : sliding(last.inrush, most);
  return harmonics(*last.measured);
}

Result<Analysis> ReducedPower::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto records = read_records(*settings);
  if (!records) return tl::unexpected(records.error());
  std::vector<Reading> readings;
  std::vector<Doubt> doubts;
  for (const auto& record : *records) {
    auto reading = figures_of(*record, *settings, asked);
    if (!reading) return tl::unexpected(reading.error());
    auto found = find_doubts(*record, *reading, *settings, asked);
    if (!found) return tl::unexpected(found.error());
    for (auto& d : *found)
      if (std::none_of(doubts.begin(), doubts.end(), [&](const Doubt& before) { return before.key == d.key; })) doubts.push_back(std::move(d));
    readings.push_back(std::move(*reading));
  }
  Analysis out{mean_of(std::move(readings)), curve(*records, *settings, kCurvePoints), as_text(*settings)};
  if (!trend_.empty()) {
    // What was kept around a watch is no measure of the whole.
    if (method(*settings) == Method::recording) out.reading.figures.clear();
    read_trend(trend_, *settings, out.reading);
    for (const auto& key : asked)
      if (!out.reading.find(key) && std::none_of(out.reading.absent.begin(), out.reading.absent.end(), [&](const Absent& a) { return a.key == key; }))
        out.reading.absent.push_back({key, "a recording has the figures of its watches; open a record that was kept", key});
  }
  out.reading.doubts.insert(out.reading.doubts.end(), std::make_move_iterator(doubts.begin()), std::make_move_iterator(doubts.end()));
  return out;
}

Result<std::vector<Repeated>> ReducedPower::over_records(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto records = read_records(*settings);
  if (!records) return tl::unexpected(records.error());
  std::vector<Reading> readings;
  std::vector<int> numbers;
  for (const auto& record : *records) {
    auto reading = figures_of(*record, *settings, asked);
    if (!reading) return tl::unexpected(reading.error());
    numbers.push_back(int(readings.size()));
    readings.push_back(std::move(*reading));
  }
  return repeated(readings, numbers);
}

bool ReducedPower::quick() const {
  std::size_t samples = 0;
  for (const auto& record : records_) samples += record->samples();
  return samples <= kQuickSamples;
}

Columns ReducedPower::small() const {
  const auto records = read_records(settings_);
  return records ? curve(*records, settings_, kSmallPoints) : Columns{.x_name = "time", .x_unit = "s", .logarithmic = false};
}

std::vector<std::pair<std::string, Record>> ReducedPower::tables() const {
  std::vector<std::pair<std::string, Record>> out;
  if (!trend_.empty()) {
    Record readings;
    readings.channels.push_back({.role = "time", .unit = "s", .numbers = trend_.time});
    for (const auto& c : trend_.columns) readings.channels.push_back({.role = c.name, .unit = c.unit, .numbers = c.values});
    out.emplace_back("readings", std::move(readings));
    Record log;
    std::vector<double> from, to, extreme, watch;
    for (const auto& e : trend_.log) {
      const auto at = std::find_if(settings_.watches.begin(), settings_.watches.end(), [&](const Watch& w) { return w.name == e.watch; });
      from.push_back(e.from);
      to.push_back(e.to);
      extreme.push_back(e.extreme);
      watch.push_back(at == settings_.watches.end() ? 0 : double(at - settings_.watches.begin()) + 1);
    }
    log.channels = {{.role = "from", .unit = "s", .numbers = from}, {.role = "to", .unit = "s", .numbers = to}, {.role = "watch", .unit = "1", .numbers = watch}, {.role = "extreme", .unit = "1", .numbers = extreme}};
    out.emplace_back("log", std::move(log));
  }
  return out;
}

std::size_t ReducedPower::bytes() const {
  std::size_t out = sizeof *this;
  for (const auto& record : records_) out += 2 * record->bytes();
  for (const auto& c : trend_.columns) out += c.values.size() * sizeof(double);
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  return std::make_unique<PowerReducer>(std::move(*settings));
}

}  // namespace heron::study::power
