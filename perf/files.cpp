#include <benchmark/benchmark.h>
#include <fast_float/fast_float.h>
#include <fmt/os.h>

#include <chrono>
#include <cmath>
#include <complex>
#include <filesystem>
#include <numbers>
#include <numeric>

#include "base/random.h"
#include "exchange/csv_reader.h"
#include "exchange/curves.h"
#include "study/kind.h"

using namespace heron;

namespace {

constexpr int kRows = 1'000'000;

/// A file of so many rows, written once.
template <class Row>
std::string file(const char* name, const char* header, Row row) {
  const auto path = (std::filesystem::temp_directory_path() / name).string();
  auto out = fmt::output_file(path);
  out.print("{}\n", header);
  std::mt19937_64 random(1);
  for (int k = 0; k < kRows; ++k) out.print("{}\n", row(k, random));
  return path;
}

const std::string& response_table() {
  static const auto path =
      file("heron_perf_response.csv", "frequency (Hz),gain (dB),phase (deg)", [](int k, auto& random) {
        const double f = 10 * std::pow(1e5, double(k) / kRows);
        const auto h = 1.0 / std::complex(1.0, f / 3e3);
        return fmt::format("{:.9g},{:.9g},{:.9g}", f, 20 * std::log10(std::abs(h)) + 0.01 * normal_deviate(random),
                           180 / std::numbers::pi * std::arg(h) + 0.05 * normal_deviate(random));
      });
  return path;
}

const std::string& junction_table() {
  static const auto path = file("heron_perf_iv.csv", "voltage (V),current (A)", [](int k, auto& random) {
    const double v = 0.8 * k / kRows, i = 1e-12 * std::expm1(v / 0.03);
    return fmt::format("{:.9g},{:.9g}", v, i * (1 + 1e-3 * normal_deviate(random)) + 1e-9 * normal_deviate(random));
  });
  return path;
}

const std::string& noise_samples() {
  static const auto path =
      file("heron_perf_noise.csv", "time (s),stimulus (V),response (V)", [y = 0.0](int k, auto& random) mutable {
        const double x = normal_deviate(random);
        y += 0.17 * (x - y);
        return fmt::format("{:.9g},{:.9g},{:.9g}", 1e-6 * k, x, y + 0.01 * normal_deviate(random));
      });
  return path;
}

/// The file into memory, and every byte looked at once.
void plain_read(benchmark::State& state, const std::string& path) {
  for (auto _ : state) {
    const auto text = exchange::read_file(path);
    benchmark::DoNotOptimize(std::accumulate(text->begin(), text->end(), 0u));
  }
}

void analyse(benchmark::State& state, const std::string& path, const char* name, const study::SettingsText& settings) {
  const auto* kind = study::find_kind(name);
  for (auto _ : state) {
    auto curves = exchange::read_curves(path, *kind, {});
    std::vector<study::Point> points(1);
    points.front().setting = nlohmann::json::object();
    points.front().records.push_back(std::move(curves->front().record));
    benchmark::DoNotOptimize(kind->analyse(points, settings, {})->reading.figures.size());
  }
}

/// `of_bare_speed`: an import against a loop of fast_float over the same file, which keeps the numbers.
void samples_from_csv(benchmark::State& state) {
  const auto& path = noise_samples();
  const auto* kind = study::find_kind("waveform");
  using Clock = std::chrono::steady_clock;
  double imported = 0, bare = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    auto curves = exchange::read_curves(path, *kind, {});
    imported += std::chrono::duration<double>(Clock::now() - start).count();
    if (!curves) return state.SkipWithError("it cannot be read");
    state.PauseTiming();
    start = Clock::now();
    const auto text = exchange::read_file(path);
    std::vector<double> numbers;
    const char *at = text->data() + text->find('\n') + 1, *end = text->data() + text->size();
    while (at < end) {
      double v = 0;
      const auto read = fast_float::from_chars(at, end, v);
      if (read.ec != std::errc()) break;
      numbers.push_back(v);
      at = read.ptr + 1;
    }
    benchmark::DoNotOptimize(numbers.data());
    bare += std::chrono::duration<double>(Clock::now() - start).count();
    if (numbers.size() != 3 * std::size_t(kRows)) return state.SkipWithError("not all numbers are read");
    state.ResumeTiming();
  }
  state.counters["of_bare_speed"] = bare / imported;
}
BENCHMARK(samples_from_csv)->Unit(benchmark::kMillisecond);

void plain_read_of_a_response(benchmark::State& state) { plain_read(state, response_table()); }
void figures_of_a_response(benchmark::State& state) { analyse(state, response_table(), "response", {}); }
void plain_read_of_a_junction(benchmark::State& state) { plain_read(state, junction_table()); }
void figures_of_a_junction(benchmark::State& state) { analyse(state, junction_table(), "iv", {}); }
void plain_read_of_noise(benchmark::State& state) { plain_read(state, noise_samples()); }
void figures_of_noise(benchmark::State& state) { analyse(state, noise_samples(), "response", {{"method", "noise"}}); }
BENCHMARK(plain_read_of_a_response)->Unit(benchmark::kMillisecond);
BENCHMARK(figures_of_a_response)->Unit(benchmark::kMillisecond);
BENCHMARK(plain_read_of_a_junction)->Unit(benchmark::kMillisecond);
BENCHMARK(figures_of_a_junction)->Unit(benchmark::kMillisecond);
BENCHMARK(plain_read_of_noise)->Unit(benchmark::kMillisecond);
BENCHMARK(figures_of_noise)->Unit(benchmark::kMillisecond);

}  // namespace
