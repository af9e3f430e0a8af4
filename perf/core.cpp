#include <benchmark/benchmark.h>

#include <cmath>
#include <filesystem>
#include <numbers>

#include "dossier/take_run.h"
#include "mudlark/recipe.h"
#include "signal/pyramid.h"
#include "signal/tone.h"

using namespace heron;

namespace {

std::vector<double> noisy_sine(double phase) {
  std::vector<double> x(1'000'000);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = std::cos(0.0123 * double(i) + phase) + 0.001 * std::sin(double(i * i % 1009));
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

std::filesystem::path scratch() {
  static const auto folder = [] {
    auto path = std::filesystem::temp_directory_path() / "heron-perf";
    std::filesystem::remove_all(path);
    std::filesystem::create_directories(path);
    return path;
  }();
  return folder;
}

const std::string& demo_path() {
  static const auto path = demo::write((scratch() / "demo").string()).value();
  return path;
}

/// Wall time of the demo sweep; the counter gives how many times longer a real bench would take.
void demo_sweep(benchmark::State& state) {
  auto store = dossier::Store::open(demo_path()).value();
  const auto study = store.find_study("Preamp passband").value();
  const auto plan = study::response::plan_from_json(study.plan).value();
  double real = 0;
  for (auto _ : state) {
    auto bench = dossier::open_bench(store, "simulated", 1).value();
    auto ok = study::response::run(plan, *bench, [](const study::Point&) { return Result<void>(); }, {}, {});
    benchmark::DoNotOptimize(ok.has_value());
    real = bench->elapsed();
  }
  state.counters["real_bench_s"] = real;
}
BENCHMARK(demo_sweep)->Unit(benchmark::kMillisecond);

/// A dossier with so many takes of the demo's sweep, made by copying one take's points.
std::string dossier_with(int takes) {
  const auto path = (scratch() / fmt::format("takes-{}.heron", takes)).string();
  if (std::filesystem::exists(path)) return path;
  auto source = dossier::Store::open(demo_path()).value();
  const auto study = source.find_study("Preamp passband").value();
  const auto points = source.points(source.takes(study.id)->front().id).value();
  auto store = dossier::Store::create(path).value();
  (void)store.set_device(source.device().value());
  const auto id = store.add_study(study).value();
  for (int k = 0; k < takes; ++k) {
    const auto take = store.begin_take(id, "unit 01", "Simulated bench", nlohmann::json::object(), 1).value();
    for (std::size_t i = 0; i < 4; ++i) (void)store.add_point(take, points[i]);
    (void)store.finish_take(take, dossier::TakeState::finished);
  }
  return path;
}

/// What opening shows: device, studies, claims, and the newest takes that fit the strip.
void open_dossier(benchmark::State& state) {
  const auto path = dossier_with(int(state.range(0)));
  for (auto _ : state) {
    auto store = dossier::Store::open(path).value();
    const auto dead = store.settle_dead_takes();
    const auto studies = store.studies().value();
    const auto claims = store.claims(studies.front().id);
    const auto takes = store.takes(studies.front().id, 60);
    benchmark::DoNotOptimize(takes->size() + claims->size() + dead.value() + store.device()->name.size());
  }
}
BENCHMARK(open_dossier)->Arg(10)->Arg(1000)->Unit(benchmark::kMicrosecond);

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
