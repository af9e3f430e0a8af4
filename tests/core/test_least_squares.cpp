#include <catch2/catch.hpp>
#include <cmath>
#include <limits>

#include "signal/least_squares.h"
#include "signal/linear_fit.h"

using namespace heron;

TEST_CASE("a decay's size and time are found from afar, with slopes and without", "[signal]") {
  std::vector<double> t, y;
  for (int k = 0; k < 30; ++k) {
    t.push_back(0.1 * k);
    y.push_back(5 * std::exp(-0.1 * k / 0.7));
  }
  signal::Misses misses{.count = t.size(), .of = [&](std::span<const double> p, std::span<double> out) {
                          for (std::size_t k = 0; k < t.size(); ++k) out[k] = y[k] - p[0] * std::exp(-t[k] / p[1]);
                        }};
  const auto slopes = [&](std::span<const double> p, std::vector<std::vector<double>>& out) {
    for (std::size_t k = 0; k < t.size(); ++k) {
      out[0][k] = -std::exp(-t[k] / p[1]);
      out[1][k] = -p[0] * t[k] / (p[1] * p[1]) * std::exp(-t[k] / p[1]);
    }
  };
  for (const bool given : {false, true}) {
    CAPTURE(given);
    if (given) misses.slopes = slopes;
    const auto found = signal::least_squares(misses, {1, 3});
    REQUIRE(found);
    CHECK(found->of[0] == Approx(5));
    CHECK(found->of[1] == Approx(0.7));
    CHECK(found->squares < 1e-15);
    // About where it came to it is a sum of columns.
    std::vector<std::vector<double>> columns(2, std::vector<double>(t.size()));
    slopes({{5, 0.7}}, columns);
    const auto around = signal::linear_fit(columns, y);
    REQUIRE(around);
    REQUIRE(found->each.size() == 2);
    CHECK(found->each[0] == Approx(around->each[0]).epsilon(1e-6));
    CHECK(found->each[1] == Approx(around->each[1]).epsilon(1e-6));
  }
}

TEST_CASE("a curved valley is followed to its lowest place, and what is left there is told", "[signal]") {
  // Rosenbrock's, lowest at 1, 1; a third value misses by 2 wherever it is.
  const signal::Misses misses{.count = 3, .of = [](std::span<const double> p, std::span<double> out) {
                                out[0] = 10 * (p[1] - p[0] * p[0]);
                                out[1] = 1 - p[0];
                                out[2] = 2;
                              }};
  const auto found = signal::least_squares(misses, {-1.2, 1});
  REQUIRE(found);
  CHECK(found->of[0] == Approx(1));
  CHECK(found->of[1] == Approx(1));
  CHECK(found->squares == Approx(4));
}

TEST_CASE("what values do not tell apart has no uncertainty, and what is not finite is not found", "[signal]") {
  const auto both = signal::least_squares({.count = 3, .of = [](std::span<const double> p, std::span<double> out) {
                                             for (std::size_t k = 0; k < 3; ++k) out[k] = double(k + 1) * (2 - p[0] - p[1]);
                                           }},
                                          {0, 0});
  REQUIRE(both);
  CHECK(both->of[0] + both->of[1] == Approx(2));
  CHECK(both->each.empty());
  const auto none = signal::least_squares({.count = 2, .of = [](std::span<const double>, std::span<double> out) { out[0] = out[1] = std::numeric_limits<double>::quiet_NaN(); }}, {1});
  CHECK(!none);
}
