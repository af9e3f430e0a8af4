#include <benchmark/benchmark.h>

#include <chrono>
#include <cstring>

#include "sim/simulated_bench.h"
#include "study/iv/reduce.h"
#include "study/iv/runner.h"

using namespace heron;
using Clock = std::chrono::steady_clock;
namespace iv = study::iv;

namespace {

constexpr const char* kSwitch = R"(
[pins]
drain = "d"
gate = "g"
[part.Q1]
kind = "fet"
drain = "d"
gate = "g"
source = "ground"
value = "1.1 V"
transconductance = "7.5 A/V2"
slope_factor = 1.35
modulation = 0.03
drain_resistance = "12 mohm"
gate_source_capacitance = "310 pF"
gate_drain_capacitance = "28 pF"
drain_source_capacitance = "110 pF"
[part.RG]
kind = "resistor"
between = ["g", "ground"]
value = "4.7 Mohm"
)";

/// Eleven curves of 201 points of the load switch, by source-measure channels.
iv::Plan output_family() {
  return {.sources = {{.name = "drain",
                       .pin = "drain",
                       .role = iv::Role::swept,
                       .values = {.start = 0, .stop = 2, .points = 201},
                       .compliance = 1.5},
                      {.name = "gate",
                       .pin = "gate",
                       .role = iv::Role::stepped,
                       .values = {.start = 1.1, .stop = 1.7, .points = 11},
                       .compliance = 1e-3}},
          .sensed = ""};
}

std::vector<study::Point> take(const iv::Plan& plan, double& bench_seconds) {
  sim::SimulatedBench bench(*sim::read_circuit(kSwitch, "load switch"), 1);
  std::vector<study::Point> points;
  const auto keep = [&](const study::Point& p) -> Result<void> {
    points.push_back(p);
    return {};
  };
  if (const auto ok = iv::run(plan, bench, keep, {}, {}); !ok) std::abort();
  bench_seconds = bench.elapsed();
  return points;
}

/// The take on the simulated bench; `times_faster`: than the real bench that it states.
void family_of_eleven_curves(benchmark::State& state) {
  const auto plan = output_family();
  double bench_seconds = 0, spent = 0;
  for (auto _ : state) {
    const auto start = Clock::now();
    benchmark::DoNotOptimize(take(plan, bench_seconds));
    spent += std::chrono::duration<double>(Clock::now() - start).count();
  }
  state.counters["times_faster"] = bench_seconds / (spent / double(state.iterations()));
}
BENCHMARK(family_of_eleven_curves)->Unit(benchmark::kMillisecond);

/// Points to curves; `over_parse`: against reading the same settings as JSON text, which opening a take must do anyway.
void curves_from_points(benchmark::State& state) {
  double bench_seconds = 0;
  const auto points = take(output_family(), bench_seconds);
  std::vector<std::string> texts;
  for (const auto& p : points) texts.push_back(p.setting.json().dump());
  double reduced = 0, parsed = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    benchmark::DoNotOptimize(iv::reduce_take(points));
    reduced += std::chrono::duration<double>(Clock::now() - start).count();
    state.PauseTiming();
    start = Clock::now();
    for (const auto& text : texts) benchmark::DoNotOptimize(nlohmann::json::parse(text));
    parsed += std::chrono::duration<double>(Clock::now() - start).count();
    state.ResumeTiming();
  }
  state.counters["over_parse"] = reduced / parsed;
}
BENCHMARK(curves_from_points)->Unit(benchmark::kMillisecond);

/// Records of a ramp of 11 x 201 points to curves; `over_copy`: against a copy of the same counts.
void curves_from_ramps(benchmark::State& state) {
  auto plan = output_family();
  plan.method = iv::Method::waveform;
  plan.hookup = iv::shunt_hookup("drain");
  plan.ramp = 20e-3;
  double bench_seconds = 0;
  const auto points = take(plan, bench_seconds);
  double reduced = 0, copied = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    benchmark::DoNotOptimize(iv::reduce_take(points));
    reduced += std::chrono::duration<double>(Clock::now() - start).count();
    state.PauseTiming();
    start = Clock::now();
    for (const auto& p : points)
      for (const auto& record : p.records)
        for (const auto& channel : record.channels) {
          std::vector<std::int16_t> copy(channel.counts.size());
          std::memcpy(copy.data(), channel.counts.data(), copy.size() * sizeof copy[0]);
          benchmark::DoNotOptimize(copy.data());
        }
    copied += std::chrono::duration<double>(Clock::now() - start).count();
    state.ResumeTiming();
  }
  state.counters["over_copy"] = reduced / copied;
}
BENCHMARK(curves_from_ramps)->Unit(benchmark::kMillisecond);

}  // namespace
