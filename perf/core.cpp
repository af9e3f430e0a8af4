#include <benchmark/benchmark.h>

#include <cmath>
#include <numbers>

#include "perf/dossiers.h"
#include "signal/pyramid.h"
#include "signal/tone.h"
#include "study/response/kind.h"
#include "study/response/runner.h"

using namespace heron;
using perf::demo_path;
using perf::dossier_with;

namespace {

std::vector<double> noisy_sine(double phase) {
  std::vector<double> x(1'000'000);
  for (std::size_t i = 0; i < x.size(); ++i)
    x[i] = std::cos(0.0123 * double(i) + phase) + 0.001 * std::sin(double(i * i % 1009));
  return x;
}

const std::vector<double>& left() {
  static const auto x = noisy_sine(0.2);
  return x;
}
const std::vector<double>& right() {
  static const auto x = noisy_sine(1.1);
  return x;
}

/// The bare pass: multiplies and sums both arrays, nothing else.
void plain_pass(benchmark::State& state) {
  const auto &a = left(), &b = right();
  for (auto _ : state) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i) sum += a[i] * b[i];
    benchmark::DoNotOptimize(sum);
  }
}
BENCHMARK(plain_pass)->Unit(benchmark::kMillisecond);

void tone_fit_of_two_channels(benchmark::State& state) {
  const double rate = 1e6, frequency = 0.0123 * rate / (2 * std::numbers::pi);
  for (auto _ : state) {
    auto a = signal::fit_tone(left(), rate, frequency), b = signal::fit_tone(right(), rate, frequency);
    benchmark::DoNotOptimize(a->peak + b->peak);
  }
}
BENCHMARK(tone_fit_of_two_channels)->Unit(benchmark::kMillisecond);

/// Wall time of the demo sweep; the counter gives how many times longer a real bench would take.
void demo_sweep(benchmark::State& state) {
  auto store = dossier::Store::open(demo_path()).value();
  const auto study = store.find_study("Preamp passband").value();
  const auto plan = study::response::plan_from_json(study.plan).value();
  double real = 0;
  for (auto _ : state) {
    auto bench = run::open_bench(store, "simulated", 1).value();
    auto ok = study::response::run(plan, *bench, [](const study::Point&) { return Result<void>(); }, {}, {});
    benchmark::DoNotOptimize(ok.has_value());
    real = bench->elapsed();
  }
  state.counters["real_bench_s"] = real;
}
BENCHMARK(demo_sweep)->Unit(benchmark::kMillisecond);

/// The store alone: device, studies, claims, and the list of all takes, without a window.
void open_store(benchmark::State& state) {
  const auto path = dossier_with(int(state.range(0)));
  for (auto _ : state) {
    auto store = dossier::Store::open(path).value();
    const auto dead = store.settle_dead_takes();
    const auto studies = store.studies().value();
    const auto claims = store.claims(studies.front().id);
    const auto takes = store.takes(studies.front().id);
    benchmark::DoNotOptimize(takes->size() + claims->size() + dead.value() + store.device()->name.size());
  }
}
BENCHMARK(open_store)->Arg(10)->Arg(1000)->Unit(benchmark::kMicrosecond);

void thin_a_million_points(benchmark::State& state) {
  std::vector<double> x(left().size());
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = double(i);
  const signal::MinMaxPyramid pyramid(left());
  double from = 0;
  for (auto _ : state) {
    from = from > 4e5 ? 0 : from + 1000;
    auto thin = signal::thin_curve(x, left(), pyramid, from, from + 5e5, 1200);
    benchmark::DoNotOptimize(thin.y.data());
  }
}
BENCHMARK(thin_a_million_points)->Unit(benchmark::kMicrosecond);

}  // namespace
