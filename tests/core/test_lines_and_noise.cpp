#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "signal/corner.h"
#include "signal/correlation.h"
#include "signal/line_at.h"
#include "signal/quiet_noise.h"

using namespace heron;

namespace lines_and_noise {
namespace {

/// Noise of one pole, of unit deviation, in pieces.
std::vector<std::vector<double>> noise(std::mt19937_64& random, double alike, std::size_t each = 64, std::size_t pieces = 48) {
  std::vector<std::vector<double>> out(pieces);
  for (auto& piece : out) {
    double last = normal_deviate(random);
    for (std::size_t k = 0; k < each; ++k) {
      piece.push_back(last);
      last = alike * last + std::sqrt(1 - alike * alike) * normal_deviate(random);
    }
  }
  return out;
}

}  // namespace

TEST_CASE("a line through points is read at zero with what they leave of it", "[signal]") {
  const auto exact = signal::line_at_zero(std::vector<double>{1, 2, 4}, std::vector<double>{5, 7, 11});
  REQUIRE(exact);
  CHECK(exact->value == Approx(3));
  CHECK(exact->slope == Approx(2));
  CHECK(exact->u == Approx(0).margin(1e-12));
  CHECK(exact->u_slope == Approx(0).margin(1e-12));
  // Residuals that no line takes away: 1, -1, -1, 1; their squares over n - 2 are 2, those of x about its middle 5.
  const std::vector<double> x = {0, 1, 2, 3}, y = {1, -1, -1, 1};
  for (const double together : {1.0, 4.0}) {
    const auto line = signal::line_at_zero(x, y, together);
    REQUIRE(line);
    CHECK(line->value == Approx(0).margin(1e-12));
    CHECK(line->u_slope == Approx(std::sqrt(2 * together / 5)));
    CHECK(line->u == Approx(std::hypot(std::sqrt(2 * together) / 2, std::sqrt(2 * together / 5) * 1.5)));
  }
  // Three points leave one degree of freedom, two leave none and say nothing of their scatter.
  CHECK(signal::line_at_zero(std::vector<double>{-1, 0, 1}, std::vector<double>{1, -2, 1})->u == Approx(std::sqrt(6.0 / 3)));
  CHECK(signal::line_at_zero(std::vector<double>{1, 2}, std::vector<double>{1, 5})->u == Approx(0).margin(1e-12));
  CHECK_FALSE(signal::line_at_zero(std::vector<double>{2, 2, 2}, std::vector<double>{1, 2, 3}));
  CHECK_FALSE(signal::line_at_zero(std::vector<double>{2}, std::vector<double>{1}));
}

TEST_CASE("what is left without its line has neither mean nor slope", "[signal]") {
  const auto left = signal::without_line(std::vector<double>{0, 1, 2, 3}, std::vector<double>{11, 12, 15, 20});
  // 11, 12, 15, 20 is 10 + 3 x with 1, -1, -1, 1 on it.
  REQUIRE(left.size() == 4);
  for (std::size_t k = 0; k < 4; ++k) CHECK(left[k] == Approx(k % 3 == 0 ? 1 : -1));
  CHECK(signal::without_line(std::vector<double>{4, 4}, std::vector<double>{1, 5}) == std::vector<double>{-2, 2});
  CHECK(signal::without_line(std::vector<double>{4}, std::vector<double>{3}) == std::vector<double>{0});
  CHECK(signal::without_line({}, {}).empty());
}

TEST_CASE("two go together as far as both move", "[signal]") {
  const std::vector<double> x = {1, 2, 3};
  CHECK(signal::correlation(x, std::vector<double>{10, 20, 30}) == Approx(1));
  CHECK(signal::correlation(x, std::vector<double>{3, 1, -1}) == Approx(-1));
  CHECK(signal::correlation(x, std::vector<double>{1, 3, 2}) == Approx(0.5));
  CHECK(signal::correlation(std::vector<double>{1, 3, 2}, std::vector<double>{11, 12, 13}) == Approx(0.5));
  CHECK(signal::correlation(x, std::vector<double>{7, 7, 7}) == 0);
  CHECK(signal::correlation(std::vector<double>{7, 7, 7}, x) == 0);
  CHECK(signal::correlation({}, {}) == 0);
}

TEST_CASE("noise is told from quiet pieces, and how far neighbours err alike", "[signal]") {
  std::mt19937_64 random(11);
  SECTION("white noise comes back without bias, ramps or not") {
    double sum = 0, together = 0;
    constexpr int kTimes = 60;
    for (int n = 0; n < kTimes; ++n) {
      auto pieces = noise(random, 0);
      for (auto& piece : pieces)
        for (std::size_t k = 0; k < piece.size(); ++k) piece[k] = 2 * piece[k] + 100 * double(k) * (n % 2);
      const auto found = signal::quiet_noise(pieces);
      REQUIRE(found);
      sum += found->deviation / kTimes;
      together += found->together / kTimes;
    }
    CHECK(sum == Approx(2).epsilon(0.015));
    CHECK(together == Approx(1).margin(0.05));
  }
  SECTION("neighbours that err alike make sums vary more") {
    double together = 0, deviation = 0;
    constexpr int kTimes = 40;
    for (int n = 0; n < kTimes; ++n) {
      const auto found = signal::quiet_noise(noise(random, 0.5, 512));
      together += found->together / kTimes;
      deviation += found->deviation / kTimes;
    }
    // The quietest are somewhat less alike than the rest.
    CHECK(together == Approx(3).epsilon(0.12));
    // Of longer pieces the quietest lie less far below the rest.
    CHECK(deviation > 1);
    CHECK(deviation < 1 / std::sqrt(0.76));
  }
  SECTION("what happens in three quarters of the pieces is none") {
    auto pieces = noise(random, 0);
    for (std::size_t p = 0; p < pieces.size(); ++p)
      for (std::size_t k = 0; k < 64; ++k) pieces[p][k] += p % 4 == 0 ? 0 : 1000 * std::sin(0.3 * double(k));
    CHECK(signal::quiet_noise(pieces)->deviation == Approx(1 / std::sqrt(0.76)).epsilon(0.06));
  }
  SECTION("what alternates errs alike not at all, what drifts no more than nine parts of ten") {
    std::vector<double> alternates, drifts;
    for (int k = 0; k < 64; ++k) {
      alternates.push_back(k % 2);
      drifts.push_back(std::sin(std::numbers::pi * k / 63));
    }
    CHECK(signal::quiet_noise(std::vector<std::vector<double>>{alternates})->together == 1);
    CHECK(signal::quiet_noise(std::vector<std::vector<double>>{drifts})->together == Approx(19));
  }
  SECTION("eight samples say something, seven nothing; what never moves has no noise") {
    CHECK(signal::quiet_noise(std::vector(4, std::vector<double>{0, 1, 0, 1, 0, 1, 0, 1})));
    CHECK_FALSE(signal::quiet_noise(std::vector(4, std::vector<double>{0, 1, 0, 1, 0, 1, 0})));
    CHECK_FALSE(signal::quiet_noise({}));
    const auto still = signal::quiet_noise(std::vector(4, std::vector<double>(16, 5.0)));
    REQUIRE(still);
    CHECK(still->deviation == 0);
    CHECK(still->together == 1);
  }
}

TEST_CASE("the tip of two straight flanks lies where they meet", "[signal]") {
  // Up by 1 a sample, down by 2, with a tip of 10 at 7.3.
  const auto triangle = [](double sign, double tip = 7.3) {
    std::vector<double> out;
    for (int k = 0; k < 15; ++k) out.push_back(sign * (k < tip ? 10 - (tip - k) : 10 - 2 * (k - tip)));
    return out;
  };
  using signal::Towards;
  REQUIRE(signal::corner_at(triangle(1), 7, 0, Towards::high));
  CHECK(*signal::corner_at(triangle(1), 7, 0, Towards::high) == Approx(10));
  CHECK(*signal::corner_at(triangle(-1), 7, 0, Towards::low) == Approx(-10));
  CHECK(*signal::corner_at(triangle(1, 6.8), 7, 0, Towards::high) == Approx(10));
  CHECK_FALSE(signal::corner_at(triangle(1), 7, 0, Towards::low));
  CHECK_FALSE(signal::corner_at(triangle(-1), 7, 0, Towards::high));
  // The sample lies 0.3 below the tip: as much as noise of 0.04 makes.
  CHECK(signal::corner_at(triangle(1), 7, 0.0399, Towards::high));
  CHECK_FALSE(signal::corner_at(triangle(1), 7, 0.0401, Towards::high));
  // Three samples on either side, no fewer.
  const auto y = triangle(1);
  CHECK(signal::corner_at(std::span(y).subspan(4, 7), 3, 0, Towards::high));
  CHECK_FALSE(signal::corner_at(std::span(y).subspan(5), 2, 0, Towards::high));
  CHECK_FALSE(signal::corner_at(std::span(y).first(10), 7, 0, Towards::high));
  // A flank that bends by more than 0.15 of the turn is none: of 3 here.
  for (const std::size_t at : {5, 9})
    for (const auto& [by, is] : {std::pair{0.44, true}, {0.46, false}, {-0.44, true}, {-0.46, false}}) {
      CAPTURE(at, by);
      auto bent = y;
      // Its neighbours keep the slopes that the turn is told by.
      bent[at] += by / 2;
      CHECK(signal::corner_at(bent, 7, 0, Towards::high).has_value() == is);
    }
  // A parabola has no tip, nor what stands and falls.
  std::vector<double> parabola, falls;
  for (int k = 0; k < 15; ++k) {
    parabola.push_back(-std::pow(k - 7, 2));
    falls.push_back(k <= 7 ? 0 : -k);
  }
  CHECK_FALSE(signal::corner_at(parabola, 7, 0, Towards::high));
  CHECK_FALSE(signal::corner_at(falls, 7, 0, Towards::high));
  // Flanks that meet more than a sample away.
  CHECK_FALSE(signal::corner_at(std::vector<double>{2, 3, 4, 5, 6, 2, 1, 0, -1}, 4, 0, Towards::high));
}

}  // namespace lines_and_noise
