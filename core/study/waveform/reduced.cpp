#include "study/waveform/reduced.h"

#include <algorithm>
#include <cmath>

#include "study/waveform/averaged.h"
#include "study/waveform/doubts.h"
#include "study/waveform/figures.h"

namespace heron::study::waveform {
namespace {

constexpr std::size_t kSmallColumns = 128;     ///< of a small picture: a low and a high value each
constexpr std::size_t kCurveColumns = 8192;    ///< of what masks are held against
constexpr std::size_t kQuickSamples = 200'000;  ///< that are read within a frame

class WaveformReducer final : public Reducer {
 public:
  explicit WaveformReducer(Settings settings) : settings_(std::move(settings)) {}

  Result<void> add(const Point& point) override {
    auto one = waveforms_of(point, settings_);
    if (!one) return tl::unexpected(one.error());
    passes_.push_back(std::move(*one));
    return {};
  }
  Result<ReducedPtr> so_far() const override {
    if (passes_.empty()) return fail(Fault::input, "There is no record.");
    return std::make_shared<const ReducedWaveforms>(passes_);
  }

 private:
  Settings settings_;
  std::vector<WaveformsPtr> passes_;
};

/// All traces over time, long ones by the extremes of so many columns: no spike is lost.
Result<Columns> over_time(const Waveforms& pass, std::size_t columns) {
  Columns out{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {}};
  for (const auto& trace : pass.traces) {
    auto& column = out.columns.emplace_back(Columns::Column{trace->name, trace->unit, {}, {}});
    const auto n = trace->size();
    if (n <= 2 * columns) {
      column.y.resize(n);
      if (auto ok = trace->read(0, column.y); !ok) return tl::unexpected(ok.error());
      for (std::size_t k = 0; k < n; ++k) column.x.push_back(trace->time.at(k));
      continue;
    }
    const auto ranges = trace->envelope(0, n, columns);
    if (!ranges) return tl::unexpected(ranges.error());
    for (std::size_t k = 0; k < ranges->size(); ++k) {
      const double places = double(n) / double(ranges->size());
      column.x.push_back(trace->time.at_place((double(k) + 0.25) * places));
      column.y.push_back((*ranges)[k].low);
      column.x.push_back(trace->time.at_place((double(k) + 0.75) * places));
      column.y.push_back((*ranges)[k].high);
    }
  }
  return out;
}

/// Hands every pass with its figures to `use(pass, reading)`.
template <class Use>
Result<void> for_each_pass(const std::vector<WaveformsPtr>& passes, const Settings& settings, const std::vector<std::string>& asked,
                           Use use) {
  for (const auto& waveforms : passes) {
    const auto pass = Pass::of(waveforms, settings);
    if (!pass) return tl::unexpected(pass.error());
    auto reading = figures_of(*pass, asked);
    if (!reading) return tl::unexpected(reading.error());
    use(*pass, std::move(*reading));
  }
  return {};
}

}  // namespace

Result<std::vector<WaveformsPtr>> ReducedWaveforms::read_off(const Settings& settings) const {
  if (!settings.average || passes_.size() < 2) return passes_;
  auto one = averaged(passes_);
  if (!one) return tl::unexpected(one.error());
  return *one ? std::vector{*one} : passes_;
}

Result<Analysis> ReducedWaveforms::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto joined = read_off(*settings);
  if (!joined) return tl::unexpected(joined.error());
  std::vector<PassReading> all;
  std::vector<Doubt> doubts;
  const auto read = for_each_pass(*joined, *settings, asked, [&](const Pass& pass, PassReading reading) {
    // What an earlier pass was doubted for is not said once more.
    auto found = find_doubts(pass, reading.reading, asked);
    std::erase_if(found, [&](const Doubt& d) {
      return std::any_of(doubts.begin(), doubts.end(), [&](const Doubt& before) { return before.key == d.key; });
    });
    doubts.insert(doubts.end(), std::make_move_iterator(found.begin()), std::make_move_iterator(found.end()));
    all.push_back(std::move(reading));
  });
  if (!read) return tl::unexpected(read.error());
  // One pass, or passes that no mean can be made of, hide nothing.
  if (settings->average && joined->size() < passes_.size()) {
    auto smeared = averaging_doubt(*joined->front(), passes_);
    if (!smeared) return tl::unexpected(smeared.error());
    if (*smeared) doubts.push_back(std::move(**smeared));
  }
  auto curve = over_time(*joined->back(), kCurveColumns);
  if (!curve) return tl::unexpected(curve.error());
  Analysis out{mean_of(all), std::move(*curve), as_text(*settings)};
  out.reading.doubts = std::move(doubts);
  return out;
}

Result<std::vector<Repeated>> ReducedWaveforms::over_passes(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  std::vector<Reading> readings;
  std::vector<int> numbers;
  const auto read = for_each_pass(passes_, *settings, asked, [&](const Pass& pass, PassReading reading) {
    readings.push_back(std::move(reading.reading));
    numbers.push_back(pass.waveforms().index);
  });
  if (!read) return tl::unexpected(read.error());
  return repeated(readings, numbers);
}

bool ReducedWaveforms::quick() const {
  std::size_t samples = 0;
  for (const auto& pass : passes_) samples += pass->samples();
  return samples <= kQuickSamples;
}

Columns ReducedWaveforms::small() const {
  return over_time(*passes_.back(), kSmallColumns).value_or(Columns{.x_name = "time", .x_unit = "s", .logarithmic = false});
}

std::size_t ReducedWaveforms::bytes() const {
  std::size_t out = sizeof *this;
  for (const auto& pass : passes_) out += pass->bytes();
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  return std::make_unique<WaveformReducer>(std::move(*settings));
}

}  // namespace heron::study::waveform
