#include <benchmark/benchmark.h>

#include <chrono>
#include <string>

#include "sim/device.h"
#include "sim/transient.h"

using namespace heron::sim;
using Clock = std::chrono::steady_clock;

namespace {

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

/// A line of stages, each with a diode, a FET, a bipolar or an op amp among resistors and capacitors: 30 nodes and 12
/// nonlinear devices, driven by a sine hard enough to bend them all.
Circuit bent_circuit() {
  Circuit c;
  c.parts.push_back(make_part("V1", "voltage source", {"n0", "ground"}, {{"peak", 3}, {"frequency", 10e3}}));
  c.parts.push_back(make_part("VD", "voltage source", {"rail", "ground"}, {{"value", 5}}));
  int node = 0;
  const auto here = [&] { return "n" + std::to_string(node); };
  for (int k = 0; k < 12; ++k) {
    const auto a = here();
    ++node;
    const auto b = here();
    c.parts.push_back(make_part("R" + std::to_string(k), "resistor", {a, b}, {{"value", 470}}));
    c.parts.push_back(make_part("C" + std::to_string(k), "capacitor", {b, "ground"}, {{"value", 4.7e-9}}));
    const std::string name = "X" + std::to_string(k);
    if (k % 3 == 0) {
      c.parts.push_back(
          make_part(name, "diode", {b, "ground"},
                    {{"saturation_current", 1e-12}, {"junction_capacitance", 20e-12}, {"transit_time", 5e-9}}));
    } else {
      ++node;
      const auto out = here();
      c.parts.push_back(make_part("L" + std::to_string(k), "resistor", {"rail", out}, {{"value", 1e3}}));
      c.parts.push_back(make_part("K" + std::to_string(k), "capacitor", {out, "ground"}, {{"value", 1e-9}}));
      if (k % 3 == 1)
        c.parts.push_back(make_part(name, "fet", {out, b, "ground"},
                                    {{"value", 1},
                                     {"transconductance", 5e-3},
                                     {"gate_source_capacitance", 50e-12},
                                     {"gate_drain_capacitance", 5e-12}}));
      else
        c.parts.push_back(make_part(name, "bipolar", {out, b, "ground"},
                                    {{"saturation_current", 1e-15},
                                     {"current_gain", 120},
                                     {"emitter_capacitance", 8e-12},
                                     {"collector_capacitance", 4e-12}}));
    }
  }
  while (node < 28) {
    const auto a = here();
    ++node;
    c.parts.push_back(make_part("RT" + std::to_string(node), "resistor", {a, here()}, {{"value", 1e3}}));
    c.parts.push_back(make_part("CT" + std::to_string(node), "capacitor", {here(), "ground"}, {{"value", 1e-9}}));
  }
  return c;
}

/// Time of an accepted step over what its device evaluations, factorisations and solutions cost alone.
void accepted_step(benchmark::State& state) {
  const auto circuit = bent_circuit();
  auto network = Network::compile(circuit).value();
  const auto rest = operating_point(network).value();
  double spent = 0, bare = 0;
  long long accepted = 0;
  double evaluations = 0, factors = 0;
  for (auto _ : state) {
    Transient transient(network, rest, 0);
    auto start = Clock::now();
    if (!transient.run_adaptive(3e-4, 0, 1e-5)) state.SkipWithError("not solved");
    spent += seconds_since(start);
    const auto work = transient.work();
    accepted += work.accepted;
    evaluations += double(work.evaluations);
    factors += double(work.factors);
    // The same number of each, of this very matrix.
    State x = transient.state(), right(x.size(), 1e-9);
    start = Clock::now();
    for (long long k = 0; k < work.evaluations; ++k) network.evaluate(x, 1e-4, {.limiting = true});
    for (long long k = 0; k < work.factors; ++k) network.factor(1, 1e-7);
    for (long long k = 0; k < work.solves; ++k) network.solve(right);
    bare += seconds_since(start);
  }
  state.counters["nodes"] = network.node_count();
  state.counters["us_per_step"] = 1e6 * spent / double(accepted);
  state.counters["over_bare"] = spent / bare;
  state.counters["evaluations_per_step"] = evaluations / double(accepted);
  state.counters["factors_per_step"] = factors / double(accepted);
}
BENCHMARK(accepted_step)->Unit(benchmark::kMillisecond);

/// A ladder of RC sections with a diode in every tenth: how a step grows with the number of nodes.
void ladder_step(benchmark::State& state) {
  const int nodes = int(state.range(0));
  Circuit c;
  c.parts.push_back(make_part("V1", "voltage source", {"n0", "ground"}, {{"peak", 2}, {"frequency", 1e3}}));
  for (int k = 0; k < nodes; ++k) {
    const auto a = "n" + std::to_string(k), b = "n" + std::to_string(k + 1);
    c.parts.push_back(make_part("R" + std::to_string(k), "resistor", {a, b}, {{"value", 100}}));
    c.parts.push_back(make_part("C" + std::to_string(k), "capacitor", {b, "ground"}, {{"value", 1e-9}}));
    if (k % 10 == 5)
      c.parts.push_back(make_part("D" + std::to_string(k), "diode", {b, "ground"}, {{"saturation_current", 1e-12}}));
  }
  auto network = Network::compile(c).value();
  const auto rest = operating_point(network).value();
  double spent = 0;
  long long factors = 0;
  for (auto _ : state) {
    Transient transient(network, rest, 0);
    const auto start = Clock::now();
    if (!transient.run_fixed(1e-3, 200)) state.SkipWithError("not solved");
    spent += seconds_since(start);
    factors += transient.work().factors;
  }
  state.counters["ns_per_node_and_factor"] = 1e9 * spent / double(factors) / nodes;
}
BENCHMARK(ladder_step)->Arg(10)->Arg(30)->Arg(100)->Arg(300)->Arg(1000)->Unit(benchmark::kMillisecond);

}  // namespace
