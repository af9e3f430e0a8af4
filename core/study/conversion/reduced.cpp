#include "study/conversion/reduced.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/conversion/doubts.h"

namespace heron::study::conversion {
namespace {

constexpr std::size_t kCurveMost = 8192, kSmallMost = 128, kQuickRows = 400, kQuickMost = 100'000;

class ConversionReducer final : public Reducer {
 public:
  explicit ConversionReducer(Settings settings) : assembly_(std::move(settings)) {}

  Result<void> add(const Point& point) override { return assembly_.add(point); }
  Result<ReducedPtr> so_far() const override {
    if (assembly_.empty()) return fail(Fault::input, "There is no point.");
    return std::make_shared<const ReducedConversion>(assembly_);
  }

 private:
  Assembly assembly_;
};

/// The output of a record over time, by highest and lowest of short stretches.
Columns over_time(const SteppedRecord& record, std::size_t most) {
  Columns out{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {}};
  const auto k = trace_of(*record.record, Port::vout);
  if (!k) return out;
  const auto& trace = *record.record->traces[*k];
  const auto ranges = trace.envelope(0, trace.size(), most / 2);
  if (!ranges) return out;
  std::vector<double> y;
  const double each = double(trace.size()) / double(ranges->size());
  for (std::size_t n = 0; n < ranges->size(); ++n)
    for (const bool high : {false, true}) {
      out.x.push_back(trace.time.at_place((double(n) + (high ? 0.75 : 0.25)) * each));
      y.push_back(high ? (*ranges)[n].high : (*ranges)[n].low);
    }
  out.columns.push_back({.name = "output", .unit = "V", .y = std::move(y), .u = {}});
  return out;
}

/// "efficiency at 12 V, 400 kHz": one curve alone has its plain name.
std::string curve_name(const char* what, const LoadCurve& c, std::size_t of) {
  if (of < 2) return what;
  auto out = fmt::format("{} at {}", what, format_quantity(c.line, "V", 4).plain());
  if (c.frequency) out += ", " + format_setting(*c.frequency, "Hz");
  if (c.temperature) out += ", " + format_setting(*c.temperature, "degC");
  return out;
}

/// Watches over every record that inputs read.
Result<void> read_all_watches(const std::vector<Evidence>& evidence, const Settings& settings, Reading& into) {
  for (const auto& watch : settings.watches) {
    std::vector<Excursion> all;
    std::string unit = watch.unit;
    bool any = false;
    for (const auto& e : evidence) {
      const auto at = e.record ? e.record->watched(watch) : 0;
      if (!e.record || at >= e.record->traces.size()) continue;
      const auto& trace = *e.record->traces[at];
      const auto found = excursions_of(trace, 0, trace.size(), watch);
      if (!found) return tl::unexpected(found.error());
      all.insert(all.end(), found->begin(), found->end());
      unit = trace.unit;
      any = true;
    }
    if (any) watch_figures(watch, all, unit, into);
  }
  return {};
}

}  // namespace

Columns curve_of(const Rows& rows, const std::vector<SteppedRecordPtr>& records, std::size_t most) {
  if (!records.empty()) return over_time(*records.back(), most);
  Columns out{.x_name = "iout", .x_unit = "A", .logarithmic = false, .x = {}};
  const auto curves = load_curves(rows);
  for (const auto& [name, unit, of] : {std::tuple<const char*, const char*, double (Row::*)() const>{"efficiency", "1", &Row::efficiency}, {"output", "V", &Row::vout}, {"loss", "W", &Row::loss}})
    for (const auto& c : curves) {
      Columns::Column column{.name = curve_name(name, c, curves.size()), .unit = unit, .y = {}, .u = {}};
      if (curves.size() > 1) column.step = c.line;
      for (const auto& r : c.rows) {
        if (!column.x.empty() && !(r.iout() > column.x.back())) continue;
        const auto v = with_u({r}, [of = of](const Rows& one) { return (one[0].*of)(); });
        if (!std::isfinite(v.value)) continue;
        column.x.push_back(r.iout());
        column.y.push_back(v.value);
        column.u.push_back(v.u());
      }
      if (out.x.empty()) out.x = column.x;
      if (column.x == out.x) column.x.clear();
      out.columns.push_back(std::move(column));
    }
  return out;
}

Result<std::vector<SteppedRecordPtr>> ReducedConversion::records_by(const Settings& s) const {
  const auto& mine = assembly_.settings();
  if (s.from == mine.from && s.to == mine.to && s.settled_share == mine.settled_share && s.settle_band == mine.settle_band) return assembly_.records();
  std::vector<SteppedRecordPtr> out;
  SourceNumbers numbers;
  for (const auto& record : assembly_.records()) {
    auto read = read_steps(record->record, s, 0, [&](const std::string& what) { return numbers(what); });
    if (!read) return tl::unexpected(read.error());
    out.push_back(std::move(*read));
  }
  return out;
}

Result<Analysis> ReducedConversion::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto again = records_by(*settings);
  if (!again) return tl::unexpected(again.error());
  auto rows = rows_;
  if (*again != assembly_.records()) {
    rows.clear();
    for (const auto& record : *again) rows.insert(rows.end(), record->rows.begin(), record->rows.end());
    rows = merged(std::move(rows));
  }
  const auto cold = rows;
  rows = with_heat(std::move(rows), *settings);
  auto reading = figures_of(rows, *again, *settings, asked);
  if (!reading) return tl::unexpected(reading.error());
  if (again->empty())
    if (auto ok = read_all_watches(assembly_.evidence(), *settings, *reading); !ok) return tl::unexpected(ok.error());
  std::erase_if(reading->absent, [&](const Absent& a) { return reading->find(a.key) != nullptr; });
  auto doubts = find_doubts(cold, assembly_.evidence(), *again, *reading, *settings, asked);
  if (!doubts) return tl::unexpected(doubts.error());
  reading->doubts = std::move(*doubts);
  return Analysis{std::move(*reading), curve_of(within_limits(rows, *settings), *again, kCurveMost), as_text(*settings)};
}

bool ReducedConversion::quick() const {
  std::size_t samples = 0;
  for (const auto& record : assembly_.records()) samples += record->record->samples();
  return samples <= kQuickMost && rows_.size() <= kQuickRows;
}

Columns ReducedConversion::small() const {
  auto all = curve_of(rows_, assembly_.records(), kSmallMost);
  // One thing tells the shape: the efficiency.
  if (assembly_.records().empty() && all.columns.size() > 2) all.columns.resize(all.columns.size() / 3);
  return thinned(std::move(all), kSmallMost);
}

std::optional<Record> ReducedConversion::readings() const {
  if (rows_.empty()) return std::nullopt;
  Record out;
  const auto add = [&](std::string role, std::string unit, auto of) {
    Channel c{.role = std::move(role), .unit = std::move(unit)};
    for (const auto& r : rows_) {
      const std::optional<double> v = of(r);
      if (!v) return;
      c.numbers.push_back(*v);
    }
    out.channels.push_back(std::move(c));
  };
  for (const auto port : kAllPorts) add(std::string(port_name(port)), std::string(port_unit(port)), [&](const Row& r) { return std::optional(r.at(port)); });
  add("line", "V", [](const Row& r) { return r.line; });
  add("load", "A", [](const Row& r) { return r.load; });
  add("frequency", "Hz", [](const Row& r) { return r.frequency; });
  add("temperature", "degC", [](const Row& r) { return r.temperature; });
  std::map<int, int> numbers;
  for (const auto& r : rows_)
    for (const auto& m : r.read)
      for (const auto& [source, effect] : m.shared) numbers.try_emplace(source, int(numbers.size()) + 1);
  for (const auto port : kAllPorts) {
    const auto effect_on = [&](const Row& r, int source) {
      for (const auto& [number, effect] : r.read[std::size_t(port)].shared)
        if (number == source) return effect;
      return 0.0;
    };
    bool known = false;
    for (const auto& r : rows_) known = known || r.read[std::size_t(port)].u > 0 || !r.read[std::size_t(port)].shared.empty();
    if (!known) continue;
    add(fmt::format("u_{}", port_name(port)), std::string(port_unit(port)), [&](const Row& r) {
      double squares = std::pow(r.read[std::size_t(port)].u, 2);
      for (const auto& [source, effect] : r.read[std::size_t(port)].shared) squares += effect * effect;
      return std::optional(std::sqrt(squares));
    });
    for (const auto& [source, number] : numbers) {
      if (number > kSharedColumns || std::none_of(rows_.begin(), rows_.end(), [&, source = source](const Row& r) { return effect_on(r, source) != 0; })) continue;
      add(shared_role(port_name(port), number), std::string(port_unit(port)), [&, source = source](const Row& r) { return std::optional(effect_on(r, source)); });
    }
  }
  return out;
}

std::size_t ReducedConversion::bytes() const {
  std::size_t out = sizeof *this + rows_.size() * 2 * sizeof(Row);
  for (const auto& record : assembly_.records()) out += record->record->bytes();
  for (const auto& e : assembly_.evidence())
    if (e.record) out += e.record->bytes();
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  return std::make_unique<ConversionReducer>(std::move(*settings));
}

}  // namespace heron::study::conversion
