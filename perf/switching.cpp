#include <benchmark/benchmark.h>

#include <chrono>
#include <cmath>

#include "base/random.h"
#include "exchange/writers.h"
#include "sim/simulated_bench.h"
#include "study/switching/kind.h"
#include "study/switching/reduced.h"
#include "study/switching/runner.h"

/// Double pulses: figures of a long shot against plain passes over it, a window that is dragged, a sweep on the bench.
namespace pulses {
namespace {

using namespace heron;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

/// A double pulse of 2^20 samples at 1 GS/s in counts of ten bits, four quantities.
study::Point long_shot() {
  constexpr int kSamples = 1 << 20;
  constexpr double kStep = 1e-9, kOff = 700e-6, kOn = 850e-6;
  std::mt19937_64 random(1);
  study::Record record{.sample_rate = 1 / kStep};
  const auto add = [&](const char* role, const char* unit, double scale, auto of) {
    study::Channel c{.role = role, .unit = unit, .scale = scale, .lowest_count = -512, .highest_count = 511};
    for (int k = 0; k < kSamples; ++k) c.counts.push_back(std::int16_t(std::lround(of(k * kStep) / scale + 0.4 * normal_deviate(random))));
    record.channels.push_back(std::move(c));
  };
  const auto on = [](double t) { return (t > 10e-6 && t < kOff) || (t > kOn && t < 1000e-6); };
  const auto ramp = [](double t, double at, double length) { return std::clamp((t - at) / length, 0.0, 1.0); };
  add("v_ds", "V", 1, [&](double t) { return 400 * (1 - ramp(t, 10e-6, 30e-9) + ramp(t, kOff, 40e-9) - ramp(t, kOn + 30e-9, 30e-9) + ramp(t, 1000e-6, 40e-9)); });
  add("i_d", "A", 0.06, [&](double t) { return 20 * (t < kOff ? std::clamp((t - 10e-6) / (kOff - 10e-6), 0.0, 1.0) : 1 - ramp(t, kOff + 40e-9, 30e-9) + ramp(t, kOn, 30e-9) - ramp(t, 1000e-6, 30e-9)); });
  add("v_gs", "V", 0.04, [&](double t) { return on(t) ? 15.0 : -4.0; });
  add("v_aux", "V", 0.04, [&](double t) { return std::sin(t * 1e5); });
  study::Point out{.setting = nlohmann::json::object(), .records = {}};
  out.records.push_back(std::move(record));
  return out;
}

/// `over_pass`: all figures and doubts of a shot, from its counts on, against one plain pass over them.
void figures_of_a_long_shot(benchmark::State& state) {
  const auto point = long_shot();
  double figures = 0, passes = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    const auto reduced = study::switching::kind().reduce({point}, {});
    const auto analysis = reduced ? (*reduced)->read({}, {}) : Result<study::Analysis>(tl::unexpected(reduced.error()));
    figures += seconds_since(start);
    if (!analysis || !analysis->reading.find("energy.on")) return state.SkipWithError("the figures are not read");
    start = Clock::now();
    double sum = 0;
    for (const auto& channel : point.records.front().channels)
      for (const auto count : channel.counts) sum += channel.scale * count;
    benchmark::DoNotOptimize(sum);
    passes += seconds_since(start);
  }
  state.counters["over_pass"] = figures / passes;
}
BENCHMARK(figures_of_a_long_shot)->Unit(benchmark::kMillisecond)->Iterations(8);

/// What follows a hand that drags a window's end.
void a_window_that_is_dragged(benchmark::State& state) {
  const auto record = *study::switching::waveforms_of(long_shot(), {});
  const auto shot = *study::switching::read_shot(record, {});
  study::switching::Windows windows;
  const auto core = *study::switching::core_of(*shot, *shot->off, windows);
  double end = 0.1;
  for (auto _ : state) {
    windows.off_end = end = end > 0.5 ? 0.02 : end + 0.01;
    benchmark::DoNotOptimize(study::switching::edge_of(core, *shot->off, windows));
  }
}
BENCHMARK(a_window_that_is_dragged)->Unit(benchmark::kMicrosecond);

/// Twenty shots over current on the simulated bench.
void a_sweep_of_twenty_shots(benchmark::State& state) {
  const auto text = exchange::read_file(HERON_HALF_BRIDGE);
  const auto circuit = text ? sim::read_circuit(*text, "thruster_half_bridge.toml") : Result<sim::Circuit>(tl::unexpected(text.error()));
  if (!circuit) return state.SkipWithError("the circuit is not read");
  study::switching::Plan plan{.bus_pin = "bus", .buses = {48}, .inductance = 40e-6, .currents = {}, .gap = 2.5e-6, .second = 2e-6};
  for (int k = 1; k <= 20; ++k) plan.currents.push_back(k);
  plan.gate_pin = "gate";
  plan.gate_against = "source";
  plan.hookup.chains = {{.name = "v_ds", .input = {.pin = "drain", .range = 10, .sensor = *bench::find_stock_sensor("Probe x10"), .bandwidth_limit = false}, .zero = 0},
                        {.name = "i_d", .input = {.pin = "return current", .range = 0.5, .sensor = *bench::find_stock_sensor("Coaxial shunt 10 mohm"), .bandwidth_limit = false}, .zero = 0}};
  for (auto _ : state) {
    sim::SimulatedBench bench(*circuit, 1);
    const study::Surroundings around;
    int points = 0;
    const auto ok = study::switching::run(plan, bench, {.around = around, .keep = [&](const study::Point&) -> Result<void> {
                                                          ++points;
                                                          return {};
                                                        }});
    if (!ok || points != 20) return state.SkipWithError("the sweep is not taken");
  }
}
BENCHMARK(a_sweep_of_twenty_shots)->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace
}  // namespace pulses
