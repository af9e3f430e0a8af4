#include <benchmark/benchmark.h>

#include <chrono>
#include <cmath>

#include "sim/simulated_bench.h"
#include "study/conversion/kind.h"
#include "study/conversion/runner.h"

/// Maps of line by load: how much faster they come than on the bench they state, figures above a plain pass.
namespace maps {
namespace {

using namespace heron;
using Clock = std::chrono::steady_clock;

constexpr const char* kConverter =
    "[pins]\n\"battery\" = \"pin\"\n\"rail\" = \"rail\"\n"
    "[part.RIN]\nkind = \"resistor\"\nbetween = [\"pin\", \"in\"]\nvalue = \"2 mohm\"\n[part.ROUT]\nkind = \"resistor\"\nbetween = [\"out\", \"rail\"]\nvalue = \"2 mohm\"\n"
    "[part.U1]\nkind = \"averaged stage\"\nin = \"in\"\nout = \"sw\"\nground = \"ground\"\nvalue = \"50 mohm\"\nduty = 0.95\nholds = \"5 V\"\nfrequency = \"400 kHz\"\nswitching_charge = \"10 nC\"\n"
    "[part.CIN]\nkind = \"capacitor\"\nbetween = [\"in\", \"ground\"]\nvalue = \"22 uF\"\nseries_resistance = \"20 mohm\"\n"
    "[part.L1]\nkind = \"inductor\"\nbetween = [\"sw\", \"out\"]\nvalue = \"10 uH\"\nresistance = \"10 mohm\"\n"
    "[part.COUT]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"47 uF\"\nseries_resistance = \"30 mohm\"\n";

/// `over_bench`: the bench's own time for 5 x 20 settled points over the time it took here.
void map_on_the_bench(benchmark::State& state) {
  const auto circuit = *sim::read_circuit(kConverter, "perf.toml");
  study::conversion::Plan plan{.source_pin = "battery", .load_pin = "rail", .lines = {9, 10.5, 12, 13.5, 15}, .loads = {}, .source_limit = 3};
  for (int k = 0; k < 20; ++k) plan.loads.push_back(0.01 * std::pow(300, k / 19.0));
  plan.settle_time = 0.2;
  double stated = 0, took = 0;
  for (auto _ : state) {
    sim::SimulatedBench bench(circuit, 3);
    const study::Surroundings around;
    int points = 0;
    const auto start = Clock::now();
    const auto ok = study::conversion::run(plan, bench, {.around = around, .keep = [&](const study::Point&) -> Result<void> {
                                                           ++points;
                                                           return {};
                                                         }});
    took += std::chrono::duration<double>(Clock::now() - start).count();
    stated += bench.elapsed();
    if (!ok || points != 100) return state.SkipWithError("the map is not taken");
  }
  state.counters["over_bench"] = stated / took;
}
BENCHMARK(map_on_the_bench)->Unit(benchmark::kMillisecond)->Iterations(3);

/// `over_pass`: all figures of 100 x 100 points against the efficiencies of their columns alone.
void figures_of_a_map(benchmark::State& state) {
  study::Record record;
  for (const char* role : {"vin", "iin", "vout", "iout", "line", "load"}) record.channels.push_back({.role = role, .unit = role[0] == 'i' || role[1] == 'o' ? "A" : "V"});
  for (int y = 0; y < 100; ++y)
    for (int x = 0; x < 100; ++x) {
      const double v = 8 + 0.08 * y, i = 0.01 * std::pow(300, x / 99.0), loss = 0.05 + 0.1 * i + 0.05 * i * i;
      const double row[] = {v, (5 * i + loss) / v, 5, i, v, i};
      for (int c = 0; c < 6; ++c) record.channels[std::size_t(c)].numbers.push_back(row[c]);
    }
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  point.records.push_back(record);
  const auto reduced = study::conversion::kind().reduce({point}, {});
  if (!reduced) return state.SkipWithError("the table is not read");
  double figures = 0, passes = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    const auto analysis = (*reduced)->read({{"line", "12 V"}}, {"efficiency@1A"});
    figures += std::chrono::duration<double>(Clock::now() - start).count();
    if (!analysis) return state.SkipWithError("the figures are not read");
    start = Clock::now();
    double sum = 0;
    for (std::size_t k = 0; k < record.channels[0].size(); ++k) sum += record.channels[2].numbers[k] * record.channels[3].numbers[k] / (record.channels[0].numbers[k] * record.channels[1].numbers[k]);
    benchmark::DoNotOptimize(sum);
    passes += std::chrono::duration<double>(Clock::now() - start).count();
  }
  state.counters["over_pass"] = figures / passes;
}
BENCHMARK(figures_of_a_map)->Unit(benchmark::kMillisecond)->Iterations(5);

}  // namespace
}  // namespace maps
