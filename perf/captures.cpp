#include <benchmark/benchmark.h>

#include <chrono>
#include <random>

#include "bench/sensor.h"
#include "sim/device.h"
#include "sim/simulated_bench.h"
#include "sim/transient.h"
#include "study/kind.h"
#include "study/trace.h"

/// Records of millions of samples: what the bench costs above its solver, figures above passes over the samples.
namespace captures {
namespace {

using namespace heron;
using Clock = std::chrono::steady_clock;

constexpr int kSamples = 1 << 24;

/// A resistor into a capacitor, pulsed: it rests most of the time.
constexpr const char* kCircuit =
    "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n"
    "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"out\"]\nvalue = \"2.2 kohm\"\n"
    "[part.C1]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"33 nF\"\n";

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

/// `over_solver`: a capture against the solver alone, writing one unknown at as many places.
void long_capture(benchmark::State& state) {
  const double rate = 1e6;
  const auto circuit = *sim::read_circuit(kCircuit, "perf.toml");
  double captured = 0, solved = 0;
  for (auto _ : state) {
    sim::SimulatedBench bench(circuit, 3);
    bench::InputSetup input{.pin = "out", .range = 2, .sensor = *bench::find_stock_sensor("Direct lead")};
    if (!bench.connect({input}) || !bench.generate({.pin = "in", .wave = bench::pulse(0, 1, 1e-6, 1e-6, 20e-3, 100e-3)})) return state.SkipWithError("the bench refuses");
    std::size_t came = 0;
    auto start = Clock::now();
    const auto read = bench.capture(rate, kSamples, {}, [&](const bench::Capture& stretch) -> Result<void> {
      came += stretch.channels[0].counts.size();
      return {};
    });
    captured += seconds_since(start);
    if (!read || came != kSamples) return state.SkipWithError("the capture fails");
    state.PauseTiming();
    auto whole = circuit;
    auto emf = sim::make_part("emf", "voltage source", {"emf", std::string(sim::kGround)}, {});
    emf.wave = bench::pulse(0, 1, 1e-6, 1e-6, 20e-3, 100e-3);
    whole.parts.push_back(emf);
    whole.parts.push_back(sim::make_part("source", "resistor", {"emf", "in"}, {{"value", 50}}));
    auto network = sim::Network::compile(whole);
    if (!network) return state.SkipWithError("the network does not compile");
    sim::Transient transient(*network, sim::State(std::size_t(network->size()), 0.0), 0, {.relative = 1e-7, .absolute = 1e-10});
    const int out = network->node("out");
    std::vector<double> row;
    row.reserve(kSamples);
    start = Clock::now();
    const auto ok = transient.run_adaptive(kSamples / rate, 1e-6, 4096 / rate, [&](const sim::Step& step) {
      for (double at = (double(row.size()) + 0.5) / rate; at <= step.to && row.size() < kSamples; at = (double(row.size()) + 0.5) / rate)
        row.push_back(step.at(out, at));
    });
    solved += seconds_since(start);
    benchmark::DoNotOptimize(row.data());
    if (!ok) return state.SkipWithError("the solver fails");
    state.ResumeTiming();
  }
  state.counters["over_solver"] = captured / solved;
  state.counters["samples_per_s"] = double(kSamples) * double(state.iterations()) / captured;
}
BENCHMARK(long_capture)->Unit(benchmark::kMillisecond)->Iterations(2);

/// `passes`: all figures of a long channel against plain passes (lowest, highest, sum) over it.
void figures_of_long_record(benchmark::State& state) {
  std::mt19937_64 random(1);
  std::normal_distribution<double> noise(0, 3);
  study::Channel channel{.role = "v", .unit = "V", .scale = 1e-4, .range = 2, .lowest_count = -8192, .highest_count = 8191};
  for (int k = 0; k < kSamples; ++k) channel.counts.push_back(std::int16_t((k / 50'000 % 2 ? 5000 : 200) + noise(random)));
  std::vector<study::Point> points(1);
  points[0].setting = {{"trigger_at", 0.0}};
  points[0].records.push_back({.sample_rate = 1e6});
  points[0].records[0].channels.push_back(std::move(channel));
  const auto* kind = study::find_kind("waveform");
  double read = 0, passed = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    const auto reduced = kind->reduce(points, {});
    const auto analysis = (*reduced)->read({}, {});
    read += seconds_since(start);
    if (!analysis) return state.SkipWithError("it cannot be read");
    state.PauseTiming();
    const auto& counts = points[0].records[0].channels[0].counts;
    start = Clock::now();
    double low = 1e9, high = -1e9, sum = 0;
    for (const auto c : counts) {
      const double v = c * 1e-4;
      low = std::min(low, v);
      high = std::max(high, v);
      sum += v * v;
    }
    benchmark::DoNotOptimize(low + high + sum);
    passed += seconds_since(start);
    state.ResumeTiming();
  }
  state.counters["passes"] = read / passed;
}
BENCHMARK(figures_of_long_record)->Unit(benchmark::kMillisecond)->Iterations(3);

/// `passes`: what the first picture of a long channel costs against plain passes for its lowest and highest.
void envelope_of_long_record(benchmark::State& state) {
  study::Channel channel{.role = "v", .unit = "V", .scale = 1e-4, .range = 2, .lowest_count = -8192, .highest_count = 8191};
  std::mt19937_64 random(1);
  for (int k = 0; k < kSamples; ++k) channel.counts.push_back(std::int16_t(random() % 9000));
  double built = 0, passed = 0;
  for (auto _ : state) {
    const auto trace = study::trace_of(channel, "V", study::TimeBase(0, 1e-6), 0, 1);
    auto start = Clock::now();
    const auto envelope = trace->envelope(0, kSamples, 1000);
    built += seconds_since(start);
    benchmark::DoNotOptimize(envelope->data());
    start = Clock::now();
    double low = 1e9, high = -1e9;
    for (const auto c : channel.counts) {
      low = std::min(low, c * 1e-4);
      high = std::max(high, c * 1e-4);
    }
    benchmark::DoNotOptimize(low + high);
    passed += seconds_since(start);
  }
  state.counters["passes"] = built / passed;
}
BENCHMARK(envelope_of_long_record)->Unit(benchmark::kMillisecond)->Iterations(3);

}  // namespace
}  // namespace captures
