#include <benchmark/benchmark.h>

#include <random>

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

}  // namespace
