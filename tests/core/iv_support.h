#pragma once
#include <catch2/catch.hpp>

#include "sim/simulated_bench.h"
#include "study/iv/runner.h"

/// The points of a plan as the simulated bench takes them of a circuit.
inline std::vector<heron::study::Point> taken(const heron::study::iv::Plan& plan, const char* circuit,
                                              std::uint64_t seed = 1, const heron::study::iv::Context& context = {}) {
  const auto read = heron::sim::read_circuit(circuit, "circuit");
  if (!read) FAIL(read.error().message);
  heron::sim::SimulatedBench bench(*read, seed);
  std::vector<heron::study::Point> points;
  const auto ok = heron::study::iv::run(
      plan, bench,
      [&](const heron::study::Point& p) -> heron::Result<void> {
        points.push_back(p);
        return {};
      },
      {}, {}, context);
  if (!ok) FAIL(ok.error().message);
  return points;
}
