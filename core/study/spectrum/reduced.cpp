#include "study/spectrum/reduced.h"

#include <algorithm>
#include <cmath>

#include "study/spectrum/doubts.h"

namespace heron::study::spectrum {
namespace {

constexpr std::size_t kSmallColumns = 128;
constexpr std::size_t kQuickSamples = 300'000;  ///< that are transformed within a frame

class SpectrumReducer final : public Reducer {
 public:
  explicit SpectrumReducer(Settings settings) : settings_(std::move(settings)) {}

  Result<void> add(const Point& point) override {
    for (std::size_t k = 0; k < point.records.size(); ++k) {
      auto one = waveforms_of(point, {.step = settings_.sample_rate ? std::optional(1 / *settings_.sample_rate) : std::nullopt},
                              "say how fast it was sampled, such as sample_rate=48kHz.", k);
      if (!one) return tl::unexpected(one.error());
      if (!records_.empty() && (*one)->traces.size() != records_.front()->traces.size())
        return fail(Fault::input, "Point {}: its quantities are not those of the one before.", point.index + 1);
      if (!(*one)->gaps.empty()) return fail(Fault::input, "Samples are missing after {} s, which a spectrum cannot bridge.", (*one)->gaps.front());
      records_.push_back(std::move(*one));
    }
    return {};
  }
  Result<ReducedPtr> so_far() const override {
    if (records_.empty()) return fail(Fault::input, "There is no record.");
    return std::make_shared<const ReducedSpectra>(records_, settings_);
  }

 private:
  Settings settings_;
  std::vector<WaveformsPtr> records_;
};

/// Lines as levels; where they are more than columns, the highest of each stretch.
Columns::Column levels(const Spectrum& s, const Settings& as_set, std::string name, std::size_t columns, std::vector<double>* x) {
  const auto settings = scaled_for(s.unit, as_set);
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

}  // namespace

Result<std::shared_ptr<const PointSpectra>> ReducedSpectra::spectra(const Settings& settings) const {
  const auto text = as_text(settings);
  {
    const std::lock_guard lock(mutex_);
    if (last_ && last_settings_ == text) return last_;
  }
  auto out = std::make_shared<PointSpectra>();
  out->index = records_.front()->index;
  out->records = records_.front();
  for (std::size_t k = 0; k < records_.front()->traces.size(); ++k) {
    std::vector<TracePtr> traces;
    for (const auto& r : records_) traces.push_back(r->traces[k]);
    auto one = spectrum_of(traces, settings);
    if (!one) return tl::unexpected(one.error());
    out->spectra.push_back(std::move(*one));
  }
  const std::lock_guard lock(mutex_);
  last_settings_ = text;
  last_ = out;
  return std::shared_ptr<const PointSpectra>(out);
}

Result<Analysis> ReducedSpectra::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto point = spectra(*settings);
  if (!point) return tl::unexpected(point.error());
  auto reading = figures_of(**point, *settings, asked);
  if (!reading) return tl::unexpected(reading.error());
  auto doubts = find_doubts(**point, *reading, *settings, asked);
  if (!doubts) return tl::unexpected(doubts.error());
  reading->doubts = std::move(*doubts);
  return Analysis{std::move(*reading), curve_of(**point, *settings, std::size_t(-1)), as_text(*settings)};
}

bool ReducedSpectra::quick() const {
  std::size_t samples = 0;
  for (const auto& r : records_)
    for (const auto& t : r->traces) samples += t->size();
  return samples <= kQuickSamples;
}

Columns ReducedSpectra::small() const {
  const auto point = spectra(settings_);
  return point ? curve_of(**point, settings_, kSmallColumns) : Columns{.x_name = "frequency", .x_unit = "Hz", .logarithmic = false};
}

std::size_t ReducedSpectra::bytes() const {
  std::size_t out = sizeof *this;
  for (const auto& r : records_)
    for (const auto& t : r->traces) out += t->bytes();
  const std::lock_guard lock(mutex_);
  if (last_)
    for (const auto& s : last_->spectra) out += s.power.size() * (sizeof(double) + sizeof(Owner));
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  return std::make_unique<SpectrumReducer>(std::move(*settings));
}

}  // namespace heron::study::spectrum
