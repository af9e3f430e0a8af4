#include "study/spectrum/reduced.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <mutex>
#include <numeric>

#include "study/spectrum/codes.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/spectrum_sum.h"
#include "study/spectrum/swept_table.h"

namespace heron::study::spectrum {

class Growing {
 public:
  /// The spectrum of one quantity of some records; nothing where they do not go on from those before.
  std::optional<Result<Spectrum>> spectrum(const std::vector<WaveformsPtr>& records, std::size_t quantity, const std::vector<TracePtr>& traces, const Settings& settings,
                                           const std::vector<Link>& own_links) {
    const std::lock_guard lock(mutex_);
    auto& one = sums_[quantity];
    const auto text = as_text(settings);
    // What is looked back at has its own sums.
    const bool same = one.sum && one.settings == text;
    if (same && one.records.size() > records.size()) return std::nullopt;
    const bool goes_on = same && std::equal(one.records.begin(), one.records.end(), records.begin());
    if (!goes_on) {
      auto begun = SpectrumSum::begin(*traces.front(), traces.front()->size(), settings, own_links);
      if (!begun) return tl::unexpected(begun.error());
      one = {.settings = text, .records = {}, .sum = std::move(*begun)};
    }
    for (auto k = one.records.size(); k < records.size(); ++k) {
      if (auto ok = one.sum->add(*traces[k]); !ok) {
        one.sum.reset();
        return std::nullopt;
      }
      one.records.push_back(records[k]);
    }
    return one.sum->spectrum();
  }

 private:
  struct Summed {
    SettingsText settings = {};
    std::vector<WaveformsPtr> records = {};
    std::optional<SpectrumSum> sum = {};
  };
  std::mutex mutex_;
  std::map<std::size_t, Summed> sums_;  ///< by quantity
};

namespace {

constexpr std::size_t kSmallColumns = 128;
constexpr std::size_t kQuickSamples = 300'000;  ///< that are transformed within a frame

class SpectrumReducer final : public Reducer {
 public:
  explicit SpectrumReducer(Settings settings) : settings_(std::move(settings)) {}

  Result<void> add(const Point& point) override {
    if (const bool companion = point.setting.purpose() == kShorted; companion || point.setting.json().contains(kShortedRange)) {
      auto record = read(point, 0);
      if (!record) return tl::unexpected(record.error());
      auto own = own_noise(**record);
      if (!own) return tl::unexpected(own.error());
      if (!shorted_) shorted_ = Averaged{.index = point.index, .records = {*record}};
      if (companion) own_.insert(own_.end(), own->begin(), own->end());
      return {};
    }
    if (auto table = table_of(point); !table)
      return tl::unexpected(table.error());
    else if (*table) {
      table_ = std::move(*table);
      return {};
    }
    Averaged one{.index = point.index};
    // Records that came before are not read once more.
    const bool again = !point.records.empty() && grown_.index == point.index && grown_.records.size() <= point.records.size();
    if (again && !growing_) growing_ = std::make_shared<Growing>();
    if (again) points_.erase(std::remove_if(points_.begin(), points_.end(), [&](const Averaged& p) { return p.index == point.index; }), points_.end());
    if (const auto swept = point.setting.json().find("swept"); swept != point.setting.json().end() && swept->is_object()) {
      one.at = swept->value("value", 0.0);
      const auto name = swept->value("name", std::string());
      const auto axis = std::find_if(swept_axes().begin(), swept_axes().end(), [&](const Axis& a) { return a.name == name; });
      if (axis != swept_axes().end()) axis_ = *axis;
      if (axis == swept_axes().end() || !(*one.at > 0)) return fail(Fault::input, "Point {}: where in the sweep it was taken cannot be read.", point.index + 1);
    }
    for (std::size_t k = 0; k < point.records.size(); ++k) {
      auto record = again && k < grown_.records.size() ? grown_.records[k] : read(point, k);
      if (!record) return tl::unexpected(record.error());
      const auto* before = !one.records.empty() ? &one.records : !points_.empty() ? &points_.front().records : nullptr;
      if (before && (*record)->traces.size() != before->front()->traces.size())
        return fail(Fault::input, "Point {}: its quantities are not those of the one before.", point.index + 1);
      if (!(*record)->gaps.empty()) return fail(Fault::input, "Samples are missing after {} s, which a spectrum cannot bridge.", (*record)->gaps.front());
      one.records.push_back(std::move(*record));
    }
    if (one.records.empty()) return fail(Fault::input, "Point {} has no record.", point.index + 1);
    grown_ = {.index = point.index, .records = one.records};
    // Points of no sweep are averages of one spectrum.
    if (!one.at && !points_.empty()) {
      auto& all = points_.front().records;
      all.insert(all.end(), one.records.begin(), one.records.end());
      return {};
    }
    const auto place = std::lower_bound(points_.begin(), points_.end(), one.at, [](const Averaged& p, const std::optional<double>& at) { return p.at < at; });
    points_.insert(place, std::move(one));
    return {};
  }
  bool grows() const override { return true; }
  Result<ReducedPtr> so_far() const override {
    if (table_) return std::make_shared<const ReducedTable>(*table_, settings_);
    // A take with the inputs shorted, looked at by itself, is a spectrum at the smallest range.
    if (points_.empty() && shorted_) return std::make_shared<const ReducedSpectra>(std::vector{*shorted_}, Axis(), settings_);
    if (points_.empty()) return fail(Fault::input, "There is no record.");
    return std::make_shared<const ReducedSpectra>(points_, axis_, settings_, own_, growing_);
  }

 private:
  Result<WaveformsPtr> read(const Point& point, std::size_t record) const {
    return waveforms_of(point, {.step = settings_.sample_rate ? std::optional(1 / *settings_.sample_rate) : std::nullopt},
                        "say how fast it was sampled, such as sample_rate=48kHz.", record);
  }

  Settings settings_;
  std::vector<Averaged> points_;
  Axis axis_;
  std::optional<SweptTable> table_;
  std::optional<Averaged> shorted_;
  std::vector<OwnNoise> own_;
  Averaged grown_{.index = -1};  ///< as it was added last
  std::shared_ptr<Growing> growing_;  ///< since a point was added again
};

/// Lines as levels; where they are more than columns, the highest of each stretch.
Columns::Column levels(const Spectrum& s, const Settings& as_set, std::string name, std::size_t columns, std::vector<double>* x) {
  const auto settings = scaled_for(s, as_set);
  Columns::Column out{std::move(name), level_unit(s.unit, settings), {}, {}};
  const auto count = s.power.size() - 1, stretches = std::min(columns, count);
  for (std::size_t c = 0; c < stretches; ++c) {
    const auto from = 1 + c * count / stretches, to = 1 + (c + 1) * count / stretches;
    const auto top = std::max_element(s.power.begin() + std::ptrdiff_t(from), s.power.begin() + std::ptrdiff_t(to));
    if (x) x->push_back(s.frequency_of(std::size_t(top - s.power.begin())));
    // A line of a tone shows the tone's level: lines are larger by what the window spreads.
    out.y.push_back(level_db(std::max(*top * s.facts.noise_bandwidth, 1e-40), settings));
  }
  return out;
}

Columns curve_of(const PointSpectra& point, const Settings& settings, std::size_t columns) {
  Columns out{.x_name = "frequency", .x_unit = "Hz", .logarithmic = false, .x = {}};
  for (const auto& s : point.spectra) {
    std::vector<double> x;
    auto column = levels(s, settings, point.spectra.size() == 1 ? "spectrum" : s.name, columns, &x);
    if (out.x.empty())
      out.x = std::move(x);
    else
      column.x = std::move(x);
    out.columns.push_back(std::move(column));
  }
  return out;
}

/// What the sensor's own corners do.
std::vector<Link> links_of(const TraceErrors& errors) {
  std::vector<Link> out;
  if (errors.corner > 0) out.push_back({.form = Link::Form::corner, .of = errors.corner, .u = errors.u_corner});
  if (errors.low_corner > 0) out.push_back({.form = Link::Form::low_corner, .of = errors.low_corner, .u = errors.u_corner});
  return out;
}

/// The spectrum of one quantity of all records of a point, and of codes how wide they are.
/// @param growing  sums that go on from record to record; null: none are kept
Result<void> add_quantity(PointSpectra& into, const std::vector<WaveformsPtr>& records, std::size_t k, const Settings& settings, Growing* growing) {
  std::vector<TracePtr> traces;
  std::vector<Coded> codes;
  for (const auto& r : records) {
    auto one = coded(r->traces[k], r->codes[k], settings);
    if (!one) return tl::unexpected(one.error());
    traces.push_back(*one ? (*one)->volts : r->traces[k]);
    if (*one) codes.push_back(std::move(**one));
  }
  const auto links = links_of(records.front()->errors[k]);
  auto grown = growing ? growing->spectrum(records, k, traces, settings, links) : std::nullopt;
  auto spectrum = grown ? std::move(*grown) : spectrum_of(traces, settings, links);
  if (!spectrum) return tl::unexpected(spectrum.error());
  PointSpectra::Density density;
  std::optional<Coding> coding;
  if (!codes.empty()) {
    coding = codes.front().coding;
    spectrum->full_scale = coding->full_scale;
    // Every code of every record would be counted once more for each record that comes.
    auto found = growing ? Result<tl::expected<signal::CodeDensity, std::string>>(tl::unexpected<std::string>("it is told when the take is done"))
                         : density_of(codes, settings, spectrum->place, spectrum->samples, spectrum->density * spectrum->sample_rate / 2);
    if (!found) return tl::unexpected(found.error());
    density = std::move(*found);
  } else if (spectrum->unit == "1") {
    spectrum->full_scale = 1;
  }
  if (records.front()->stimulus == records.front()->traces[k]->name && records.front()->traces.size() > 1) into.stimulus = k;
  into.traces.push_back(traces.front());
  into.spectra.push_back(std::move(*spectrum));
  into.densities.push_back(std::move(density));
  into.codings.push_back(coding);
  return {};
}

Result<PointSpectra> spectra_of(int index, const std::vector<WaveformsPtr>& records, const Settings& settings, Growing* growing = nullptr) {
  PointSpectra out{.index = index, .records = records.front()};
  for (std::size_t k = 0; k < out.records->traces.size(); ++k)
    if (auto ok = add_quantity(out, records, k, settings, growing); !ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace

Result<ReducedSpectra::Spectra> ReducedSpectra::spectra(const Settings& settings) const {
  return last_.with(as_text(settings), [&]() -> Result<Spectra> {
    Spectra all;
    for (const auto& point : points_) {
      auto out = spectra_of(point.index, point.records, settings, points_.size() == 1 ? growing_.get() : nullptr);
      if (!out) return tl::unexpected(out.error());
      all.push_back(std::make_shared<const PointSpectra>(std::move(*out)));
    }
    return all;
  });
}

Result<Analysis> ReducedSpectra::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto all = spectra(*settings);
  if (!all) return tl::unexpected(all.error());
  // Of a sweep each point is read by itself, without what is asked of the whole.
  std::vector<std::string> plain;
  for (const auto& key : asked)
    if (!of_sweep(key)) plain.push_back(key);
  std::vector<Swept> swept;
  std::vector<Doubt> doubts;
  for (std::size_t k = 0; k < all->size(); ++k) {
    const auto& point = *(*all)[k];
    auto reading = figures_of(point, *settings, sweeps() ? std::vector<std::string>() : plain);
    if (!reading) return tl::unexpected(reading.error());
    auto found = find_doubts(point, *reading, *settings, asked);
    if (!found) return tl::unexpected(found.error());
    if (asks_for_noise(asked)) check_own_noise(point, own_, *found);
    for (auto& d : *found) {
      // Another point's is not said once more; one of the same name with another remedy is.
      if (std::any_of(doubts.begin(), doubts.end(), [&](const Doubt& before) { return before.key == d.key && before.remedy == d.remedy; })) continue;
      if (sweeps()) d.text = fmt::format("At {}: {}", axis_.place(*points_[k].at), d.text);
      doubts.push_back(std::move(d));
    }
    swept.push_back({.at = points_[k].at.value_or(0), .index = point.index, .reading = std::move(*reading)});
    add_outputs(swept.back(), point);
  }
  Analysis out{std::move(swept.front().reading), {}, as_text(*settings)};
  if (sweeps()) {
    swept.front().reading = std::move(out.reading);
    auto reading = sweep_figures(swept, axis_, asked);
    if (!reading) return tl::unexpected(reading.error());
    out.reading = std::move(*reading);
    out.curve = sweep_columns(swept, axis_, *settings);
  } else {
    for (const auto& key : asked)
      if (of_sweep(key)) out.reading.absent.push_back({key, "the take is no sweep over level or frequency", key});
    out.curve = LazyColumns([point = all->front(), as_set = *settings] { return curve_of(*point, as_set, std::size_t(-1)); });
  }
  out.reading.doubts.insert(out.reading.doubts.begin(), std::make_move_iterator(doubts.begin()), std::make_move_iterator(doubts.end()));
  return out;
}

Result<std::vector<Repeated>> ReducedSpectra::over_records(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  std::vector<std::string> plain;
  for (const auto& key : asked)
    if (!of_sweep(key)) plain.push_back(key);
  std::vector<Reading> readings;
  std::vector<int> numbers;
  for (const auto& record : points_.front().records) {
    const auto one = spectra_of(points_.front().index, {record}, *settings);
    if (!one) return tl::unexpected(one.error());
    auto reading = figures_of(*one, *settings, plain);
    if (!reading) return tl::unexpected(reading.error());
    numbers.push_back(int(readings.size()));
    readings.push_back(std::move(*reading));
  }
  return repeated(readings, numbers);
}

Result<std::vector<SweepCurve>> ReducedSpectra::over_sweep(const Settings& settings) const {
  if (!sweeps()) return std::vector<SweepCurve>();
  const auto all = spectra(settings);
  if (!all) return tl::unexpected(all.error());
  std::vector<Swept> swept;
  for (std::size_t k = 0; k < all->size(); ++k) {
    auto reading = figures_of(*(*all)[k], settings, {});
    if (!reading) return tl::unexpected(reading.error());
    swept.push_back({.at = points_[k].at.value_or(0), .index = (*all)[k]->index, .reading = std::move(*reading)});
    add_outputs(swept.back(), *(*all)[k]);
  }
  return sweep_curves(swept, axis_, settings);
}

bool ReducedSpectra::quick() const {
  std::size_t samples = 0;
  // Of what grows only what is new is transformed.
  if (growing_ && points_.size() == 1) {
    for (const auto& t : points_.front().records.back()->traces) samples += t->size();
    return samples <= kQuickSamples;
  }
  for (const auto& point : points_)
    for (const auto& r : point.records)
      for (const auto& t : r->traces) samples += t->size();
  return samples <= kQuickSamples;
}

Columns ReducedSpectra::small() const {
  const auto all = spectra(settings_);
  return all ? curve_of(*all->back(), settings_, kSmallColumns) : Columns{.x_name = "frequency", .x_unit = "Hz", .logarithmic = false};
}

std::vector<std::pair<std::string, Record>> ReducedSpectra::tables() const {
  std::vector<std::pair<std::string, Record>> out;
  const auto all = spectra(settings_);
  if (!all) return out;
  for (const auto& point : *all)
    for (std::size_t k = 0; k < point->spectra.size(); ++k) {
      if (!point->densities[k] || !*point->densities[k]) continue;
      const auto& d = **point->densities[k];
      std::vector<double> codes(d.hits.size());
      std::iota(codes.begin(), codes.end(), d.lowest);
      // Of the two at the ends nothing is known but how often they came.
      const auto inner = [&](std::vector<double> values, std::size_t before) {
        values.insert(values.begin(), before, std::numeric_limits<double>::quiet_NaN());
        values.resize(codes.size(), std::numeric_limits<double>::quiet_NaN());
        return values;
      };
      Record table;
      table.channels = {{.role = "code", .unit = "1", .numbers = codes},
                        {.role = "samples", .unit = "1", .numbers = d.hits},
                        {.role = "expected", .unit = "1", .numbers = d.expected},
                        {.role = "width_error", .unit = "LSB", .numbers = inner(d.dnl, 1)},
                        {.role = "transition_error", .unit = "LSB", .numbers = inner(d.inl, 1)}};
      const auto number = points_.size() > 1 ? fmt::format("-{:04}", point->index + 1) : std::string();
      out.emplace_back((point->spectra.size() == 1 ? "codes" : "codes-" + point->spectra[k].name) + number, std::move(table));
    }
  return out;
}

std::size_t ReducedSpectra::bytes() const {
  std::size_t out = sizeof *this;
  for (const auto& point : points_)
    for (const auto& r : point.records) out += r->bytes();
  for (const auto& point : last_.kept().value_or(Spectra()))
    for (const auto& s : point->spectra) out += s.power.size() * (2 * sizeof(double) + sizeof(Owner));
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  return std::make_unique<SpectrumReducer>(std::move(*settings));
}

}  // namespace heron::study::spectrum
