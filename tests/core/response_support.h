/// Curves of a known H(f), and the points a plan takes from a circuit, for the tests of responses.
#pragma once

#include <catch2/catch.hpp>
#include <complex>
#include <functional>

#include "sim/simulated_bench.h"
#include "study/response/figures.h"
#include "study/response/runner.h"
#include "support.h"

namespace heron::test {

using Complex = std::complex<double>;
using Answer = std::function<Complex(double)>;

inline study::response::CurvePoint curve_point(const Answer& h, double f, std::optional<double> u_db = 1e-6) {
  const Complex v = h(f);
  study::response::CurvePoint point{
      .frequency = f, .gain_db = 20 * std::log10(std::abs(v)), .phase_deg = std::arg(v) * 180 / std::numbers::pi};
  point.u_gain_db = u_db;
  if (u_db) point.u_phase_deg = *u_db * 180 / std::numbers::pi / (20 / std::numbers::ln10);
  return point;
}

/// On a log grid, both ends included.
inline study::response::Curve sampled(const Answer& h, double from, double to, int points,
                                      std::optional<double> u_db = 1e-6) {
  std::vector<study::response::CurvePoint> out;
  for (int k = 0; k < points; ++k) {
    out.push_back(curve_point(h, from * std::pow(to / from, double(k) / (points - 1)), u_db));
    out.back().index = k;
  }
  return *study::response::assemble(out);
}

inline Complex low_pass(double f, double corner) { return 1.0 / Complex(1, f / corner); }

inline std::vector<study::Point> points_taken(const study::response::Plan& plan, const char* circuit,
                                              const study::response::Context& context = {}) {
  const auto read = sim::read_circuit(circuit, "circuit");
  if (!read) FAIL(read.error().message);
  sim::SimulatedBench bench(*read, context.seed);
  std::vector<study::Point> points;
  const auto ok = study::response::run(
      plan, bench,
      [&](const study::Point& point) -> Result<void> {
        points.push_back(point);
        return {};
      },
      {}, {}, context);
  if (!ok) FAIL(ok.error().message);
  return points;
}

inline const study::Doubt* find_doubt(const study::Reading& reading, std::string_view key) {
  for (const auto& d : reading.doubts)
    if (d.key == key) return &d;
  return nullptr;
}

}  // namespace heron::test
