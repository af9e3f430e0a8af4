#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <numeric>

#include "signal/linear_fit.h"

using heron::signal::linear_fit;
using heron::signal::powers;

TEST_CASE("a sum of columns is found again, and what is left is measured", "[signal]") {
  const std::vector<double> x = {0, 0.5, 1, 2, 3.5};
  std::vector<double> y;
  for (const double v : x) y.push_back(3 - 2 * v + 0.25 * v * v);
  const auto exact = linear_fit(powers(x, 3), y);
  REQUIRE(exact);
  CHECK(exact->of[0] == Approx(3));
  CHECK(exact->of[1] == Approx(-2));
  CHECK(exact->of[2] == Approx(0.25));
  CHECK(exact->residual < 1e-12);

  // About a mean: what is left of 1, 2, 6 are -2, -1, 3.
  const auto mean = linear_fit(powers({{7, 8, 9}}, 1), {{1, 2, 6}});
  REQUIRE(mean);
  CHECK(mean->of[0] == Approx(3));
  CHECK(mean->squares == Approx(14));
  CHECK(mean->residual == Approx(std::sqrt(7.0)));
  CHECK(mean->each[0] == Approx(1 / std::sqrt(3.0)));
  for (const double follows : mean->leverage) CHECK(follows == Approx(1.0 / 3));

  // As many values as columns leave nothing to measure by.
  const auto through = linear_fit(powers({{1, 2}}, 2), {{4, 6}});
  REQUIRE(through);
  CHECK(through->of[1] == Approx(2));
  CHECK(through->residual == Approx(0).margin(1e-12));
  for (const double follows : through->leverage) CHECK(follows == Approx(1));
}

TEST_CASE("what a line's ends are known to is what textbooks have, whatever the columns' sizes", "[signal]") {
  const std::vector<double> x = {1, 2, 4, 9}, y = {0.5, 1.1, 1.9, 4.4};
  const double middle = 4, about_middle = 9 + 4 + 0 + 25;
  const auto fit = linear_fit(powers(x, 2), y);
  REQUIRE(fit);
  CHECK(fit->each[1] == Approx(1 / std::sqrt(about_middle)));
  CHECK(fit->each[0] == Approx(std::sqrt(1.0 / 4 + middle * middle / about_middle)));
  for (std::size_t k = 0; k < x.size(); ++k) CHECK(fit->leverage[k] == Approx(1.0 / 4 + std::pow(x[k] - middle, 2) / about_middle));
  CHECK(std::accumulate(fit->leverage.begin(), fit->leverage.end(), 0.0) == Approx(2));

  auto columns = powers(x, 2);
  for (double& v : columns[1]) v *= 1e15;
  const auto large = linear_fit(columns, y);
  REQUIRE(large);
  CHECK(large->of[1] == Approx(fit->of[1] / 1e15));
  CHECK(large->each[1] == Approx(fit->each[1] / 1e15));
  CHECK(large->residual == Approx(fit->residual));
}

TEST_CASE("columns that say the same, too few values and none at all give no fit", "[signal]") {
  const std::vector<double> y = {1, 2, 3};
  CHECK(!linear_fit({{1, 2, 3}, {2, 4, 6}}, y));
  CHECK(!linear_fit({{1, 1, 1}, {0, 0, 0}}, y));
  CHECK(!linear_fit(powers({{5, 5, 5}}, 2), y));
  CHECK(!linear_fit(powers({{1, 2}}, 3), {{1, 2}}));
  CHECK(!linear_fit({}, y));
  const double nan = std::numeric_limits<double>::quiet_NaN(), endless = std::numeric_limits<double>::infinity();
  CHECK(!linear_fit({{1, 1, nan}}, y));
  CHECK(!linear_fit({{1, 1, 1}}, {{1, endless, 2}}));
  CHECK(linear_fit({{1e-12, 0, 0}, {1, 1, 1}}, y));
}
