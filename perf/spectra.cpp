#include <benchmark/benchmark.h>

#include <chrono>
#include <numbers>
#include <complex>

#include <random>

#include "study/kind.h"
#include "study/spectrum/spectrogram.h"
#include "base/random.h"
#include "signal/fftw.h"
#include "signal/spectra.h"

using namespace heron;

namespace {

constexpr std::size_t kSamples = std::size_t(1) << 20, kSegment = 4096;

const std::vector<double>& record(unsigned seed) {
  static std::vector<double> rows[2];
  auto& row = rows[seed % 2];
  if (row.empty()) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal;
    row.resize(kSamples);
    for (auto& v : row) v = normal(random);
  }
  return row;
}

/// The bare transforms: one real-to-complex of every segment of both records, nothing else.
void bare_transforms(benchmark::State& state) {
  signal::FftwArray<double> in(kSegment);
  signal::FftwArray<std::complex<double>> out(kSegment / 2 + 1);
  const signal::FftwPlan plan(
      [&] { return fftw_plan_dft_r2c_1d(int(kSegment), in.data(), out.raw(), FFTW_ESTIMATE | FFTW_PRESERVE_INPUT); });
  std::copy_n(record(1).begin(), kSegment, in.data());
  const int count = 2 * signal::segment_count({.segment = kSegment}, kSamples);
  for (auto _ : state) {
    for (int k = 0; k < count; ++k) {
      plan.execute();
      benchmark::DoNotOptimize(out.data());
      benchmark::ClobberMemory();
    }
  }
}
BENCHMARK(bare_transforms)->Unit(benchmark::kMillisecond);

void auto_and_cross_spectra(benchmark::State& state) {
  for (auto _ : state) {
    signal::SpectraSum sum({.segment = kSegment}, 1e6);
    sum.add(record(1), record(2));
    benchmark::DoNotOptimize(sum.mean().xy.data());
  }
}
BENCHMARK(auto_and_cross_spectra)->Unit(benchmark::kMillisecond);

/// `over_transform`: all figures of a record of 2^20 counts, as an input gives them, against one bare transform of that length
/// from one array into another; `over_in_place`: against one where the lines lie where the samples were.
void figures_of_a_spectrum(benchmark::State& state) {
  constexpr std::size_t n = std::size_t(1) << 20;
  constexpr int kHalf = 1 << 13;
  std::mt19937_64 random(1);
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  point.records.push_back({.sample_rate = 1e6});
  point.records[0].channels.push_back({.role = "v", .unit = "V"});
  auto& channel = point.records[0].channels[0];
  channel.scale = 1.0 / kHalf;
  channel.range = 1;
  channel.lowest_count = -kHalf;
  channel.highest_count = kHalf - 1;
  for (std::size_t k = 0; k < n; ++k)
    channel.counts.push_back(std::int16_t(std::lround(0.9 * kHalf * std::cos(2 * std::numbers::pi * 20011.37 * double(k) / double(n)) + normal_deviate(random))));
  const std::vector<study::Point> points = {point};
  const auto* kind = study::find_kind("spectrum");
  signal::FftwArray<double> in(n);
  signal::FftwArray<std::complex<double>> out(n / 2 + 1), both(n / 2 + 1);
  const signal::FftwPlan apart([&] { return fftw_plan_dft_r2c_1d(int(n), in.data(), out.raw(), FFTW_ESTIMATE); }),
      in_place([&] { return fftw_plan_dft_r2c_1d(int(n), reinterpret_cast<double*>(both.data()), both.raw(), FFTW_ESTIMATE); });
  const auto values = channel.values();
  using Clock = std::chrono::steady_clock;
  const auto seconds = [](auto work) {
    const auto start = Clock::now();
    work();
    return std::chrono::duration<double>(Clock::now() - start).count();
  };
  // Once before: the plan is made then.
  if (!kind->analyse(points, {}, {})) return state.SkipWithError("it cannot be read");
  double read = 0, bare = 0, bare_in_place = 0;
  for (auto _ : state) {
    read += seconds([&] { benchmark::DoNotOptimize(kind->analyse(points, {}, {})); });
    state.PauseTiming();
    std::copy(values.begin(), values.end(), in.data());
    bare += seconds([&] { apart.execute(); });
    benchmark::DoNotOptimize(out.data());
    std::copy(values.begin(), values.end(), reinterpret_cast<double*>(both.data()));
    bare_in_place += seconds([&] { in_place.execute(); });
    benchmark::DoNotOptimize(both.data());
    state.ResumeTiming();
  }
  state.counters["over_transform"] = read / bare;
  state.counters["over_in_place"] = read / bare_in_place;
}
BENCHMARK(figures_of_a_spectrum)->Unit(benchmark::kMillisecond)->Iterations(20);

/// The hundredth of as many averaged records of 2^16 samples, as it is shown while they come: `frames` a second that its spectrum
/// could be told anew, `over_transform` against one bare transform of that length.
void spectrum_while_it_is_averaged(benchmark::State& state) {
  constexpr std::size_t n = std::size_t(1) << 16, kRecords = 100;
  constexpr int kHalf = 1 << 13;
  std::mt19937_64 random(1);
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  const auto one = [&] {
    study::Record record{.sample_rate = 1e6};
    study::Channel channel{.role = "v", .unit = "V", .scale = 1.0 / kHalf, .range = 1, .lowest_count = -kHalf, .highest_count = kHalf - 1};
    for (std::size_t k = 0; k < n; ++k)
      channel.counts.push_back(std::int16_t(std::lround(0.9 * kHalf * std::cos(2 * std::numbers::pi * 2001.37 * double(k) / double(n)) + normal_deviate(random))));
    record.channels.push_back(std::move(channel));
    return record;
  };
  for (std::size_t k = 0; k + 1 < kRecords; ++k) point.records.push_back(one());
  const auto last = one();
  const auto* kind = study::find_kind("spectrum");
  signal::FftwArray<double> in(n);
  signal::FftwArray<std::complex<double>> out(n / 2 + 1);
  const signal::FftwPlan plan([&] { return fftw_plan_dft_r2c_1d(int(n), in.data(), out.raw(), FFTW_ESTIMATE); });
  const auto values = last.channels[0].values();
  using Clock = std::chrono::steady_clock;
  double told = 0, bare = 0;
  for (auto _ : state) {
    state.PauseTiming();
    point.records.resize(kRecords - 1);
    auto reducer = std::move(*kind->reducer({}));
    for (int k = 0; k < 2; ++k) benchmark::DoNotOptimize(reducer->add(point) && (*reducer->so_far())->small().x.size() > 0);
    point.records.push_back(last);
    state.ResumeTiming();
    auto start = Clock::now();
    benchmark::DoNotOptimize(reducer->add(point) && (*reducer->so_far())->small().x.size() > 0);
    told += std::chrono::duration<double>(Clock::now() - start).count();
    state.PauseTiming();
    std::copy(values.begin(), values.end(), in.data());
    start = Clock::now();
    plan.execute();
    benchmark::DoNotOptimize(out.data());
    bare += std::chrono::duration<double>(Clock::now() - start).count();
    state.ResumeTiming();
  }
  state.counters["over_transform"] = told / bare;
  state.counters["frames"] = double(state.iterations()) / told;
}
BENCHMARK(spectrum_while_it_is_averaged)->Unit(benchmark::kMillisecond)->Iterations(5);

/// `over_transforms`: a spectrogram of 16 Mi samples against the bare transforms of its stretches.
void spectrogram_of_a_long_record(benchmark::State& state) {
  constexpr std::size_t n = std::size_t(1) << 24;
  std::mt19937_64 random(1);
  std::vector<double> values(n);
  for (std::size_t k = 0; k < n; ++k) values[k] = std::cos(0.1 * double(k)) + 1e-3 * double(random() >> 40) * 0x1p-24;
  const auto trace = study::trace_of("v", "V", study::TimeBase(0, 1e-6), std::move(values));
  using Clock = std::chrono::steady_clock;
  double read = 0, bare = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    const auto cells = study::spectrum::spectrogram_of(*trace, 0, n, study::spectrum::balanced_segment(n), 700, 420);
    read += std::chrono::duration<double>(Clock::now() - start).count();
    if (!cells) return state.SkipWithError("it cannot be read");
    state.PauseTiming();
    signal::FftwArray<double> in(cells->segment);
    signal::FftwArray<std::complex<double>> out(cells->segment / 2 + 1);
    const signal::FftwPlan plan(
        [&] { return fftw_plan_dft_r2c_1d(int(cells->segment), in.data(), out.raw(), FFTW_ESTIMATE | FFTW_PRESERVE_INPUT); });
    for (std::size_t k = 0; k < cells->segment; ++k) in[k] = std::cos(0.1 * double(k));
    start = Clock::now();
    for (std::size_t k = 0; k < n / cells->segment; ++k) {
      plan.execute();
      benchmark::DoNotOptimize(out.data());
      benchmark::ClobberMemory();
    }
    bare += std::chrono::duration<double>(Clock::now() - start).count();
    state.ResumeTiming();
  }
  state.counters["over_transforms"] = read / bare;
}
BENCHMARK(spectrogram_of_a_long_record)->Unit(benchmark::kMillisecond)->Iterations(5);

}  // namespace
