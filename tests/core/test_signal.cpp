#include <algorithm>
#include <catch2/catch.hpp>

#include "signal/curve.h"
#include "signal/pyramid.h"
#include "signal/tone.h"
#include "support.h"

using namespace heron;
using std::numbers::pi;
using test::sine;

TEST_CASE("a tone is found between the periods of the record", "[signal]") {
  const double rate = 48e3, f = 997.3;
  const auto record = sine({.rate = rate, .frequency = f, .peak = 0.1, .phase = 1.2, .dc = 0.3}, 1000);
  const auto tone = signal::fit_tone(record, rate, f);
  REQUIRE(tone);
  CHECK(tone->peak == Approx(0.1).epsilon(1e-12));
  CHECK(tone->phase == Approx(1.2).epsilon(1e-12));
  CHECK(tone->dc == Approx(0.3).epsilon(1e-12));
  CHECK(tone->residual < 1e-13);
}

TEST_CASE("a tone is found at every length, frequency and offset", "[signal]") {
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> share(0, 1);
  for (int i = 0; i < 300; ++i) {
    const auto n = std::size_t(8 + share(random) * 3000);
    const double rate = std::pow(10, 2 + 6 * share(random));
    const double f = rate * (std::max(0.6 / double(n), 0.001) + 0.48 * share(random));
    const double peak = std::pow(10, -6 + 7 * share(random)), phase = (2 * share(random) - 1) * pi,
                 dc = 100 * peak * (share(random) - 0.5);
    if (f >= 0.49 * rate) continue;
    const auto tone =
        signal::fit_tone(sine({.rate = rate, .frequency = f, .peak = peak, .phase = phase, .dc = dc}, n), rate, f);
    INFO(n << " samples, f/rate " << f / rate);
    REQUIRE(tone);
    CHECK(tone->peak == Approx(peak).epsilon(1e-8));
    CHECK(std::remainder(tone->phase - phase, 2 * pi) == Approx(0).margin(1e-8));
    CHECK(tone->dc == Approx(dc).margin(1e-8 * peak * 100));
  }
}

TEST_CASE("the reported uncertainty is the spread seen and reaches the Cramer-Rao bound", "[signal]") {
  const double rate = 1e6, f = 12345.6, peak = 0.5, noise = 0.02;
  const std::size_t n = 2000;
  std::vector<double> peaks, phases, dcs;
  double u_peak = 0, u_phase = 0, u_dc = 0;
  for (unsigned seed = 1; seed <= 400; ++seed) {
    const auto tone = signal::fit_tone(
        sine({.rate = rate, .frequency = f, .peak = peak, .phase = 0.7, .dc = 0.1, .noise = noise}, n, seed), rate, f);
    REQUIRE(tone);
    peaks.push_back(tone->peak);
    phases.push_back(tone->phase);
    dcs.push_back(tone->dc);
    u_peak += tone->u_peak / 400;
    u_phase += tone->u_phase / 400;
    u_dc += tone->u_dc / 400;
  }
  const auto spread = [](const std::vector<double>& v) {
    double mean = 0, squares = 0;
    for (const double x : v) mean += x / double(v.size());
    for (const double x : v) squares += (x - mean) * (x - mean);
    return std::sqrt(squares / double(v.size() - 1));
  };
  CHECK(spread(peaks) == Approx(u_peak).epsilon(0.15));
  CHECK(spread(phases) == Approx(u_phase).epsilon(0.15));
  CHECK(spread(dcs) == Approx(u_dc).epsilon(0.15));
  // Cramer-Rao: var(peak) >= 2 sigma^2/N, var(phase) >= 2 sigma^2/(N peak^2), var(dc) >= sigma^2/N.
  CHECK(u_peak == Approx(noise * std::sqrt(2.0 / double(n))).epsilon(0.03));
  CHECK(u_phase == Approx(noise / peak * std::sqrt(2.0 / double(n))).epsilon(0.03));
  CHECK(u_dc == Approx(noise / std::sqrt(double(n))).epsilon(0.03));
}

TEST_CASE("the four-parameter fit finds the frequency too", "[signal]") {
  const double rate = 1e5, f = 1234.5, noise = 0.01;
  const std::size_t n = 4000;
  std::vector<double> found;
  double u = 0;
  for (unsigned seed = 1; seed <= 60; ++seed) {
    const auto tone = signal::fit_tone_free(
        sine({.rate = rate, .frequency = f, .peak = 1, .phase = -2, .noise = noise}, n, seed), rate, f * 1.002);
    REQUIRE(tone);
    found.push_back(tone->frequency);
    u += tone->u_frequency / 60;
  }
  double rms = 0;
  for (const double x : found) rms += (x - f) * (x - f) / 60;
  CHECK(std::sqrt(rms) == Approx(u).epsilon(0.3));
  // Cramer-Rao: var(omega) >= 24 sigma^2 / (A^2 N^3), in rad per sample.
  CHECK(u == Approx(noise * std::sqrt(24 / std::pow(double(n), 3)) * rate / (2 * pi)).epsilon(0.05));
}

TEST_CASE("a fit refuses what it cannot answer", "[signal]") {
  const auto record = sine({}, 100);
  CHECK_FALSE(signal::fit_tone(std::vector<double>{1, 2, 3}, 48e3, 1e3));
  CHECK_FALSE(signal::fit_tone(record, 48e3, 24e3));
  CHECK_FALSE(signal::fit_tone(record, 48e3, -1));
  CHECK_FALSE(signal::fit_tone(record, 0, 1e3));
  CHECK_FALSE(signal::fit_tone(record, 48e3, 1e-6));
  auto bad = record;
  bad[50] = std::nan("");
  CHECK_FALSE(signal::fit_tone(bad, 48e3, 1e3));
}

TEST_CASE("a parabola's vertex is exact for a parabola", "[signal]") {
  const auto y = [](double x) { return 3 - 2 * (x - 1.7) * (x - 1.7); };
  const auto v = signal::parabola_vertex(1, y(1), 1.5, y(1.5), 2.6, y(2.6));
  REQUIRE(v);
  CHECK(v->x == Approx(1.7));
  CHECK(v->y == Approx(3));
  CHECK_FALSE(signal::parabola_vertex(0, 1, 1, 2, 2, 3));
}

TEST_CASE("phase is unwrapped from the first point on", "[signal]") {
  const std::vector<double> phase = {190, -190, 170, -170, -90};
  const auto out = signal::unwrap_degrees(phase);
  CHECK(out[0] == Approx(-170));
  CHECK(out[1] == Approx(-190));
  CHECK(out[2] == Approx(-190));
  CHECK(out[3] == Approx(-170));
  CHECK(signal::wrap_degrees(180) == Approx(180));
  CHECK(signal::wrap_degrees(-180) == Approx(180));
}

TEST_CASE("interpolation never leaves the data", "[signal]") {
  const std::vector<double> x = {1, 2, 4}, y = {0, 10, 30};
  CHECK(*signal::interpolate(x, y, 3) == Approx(20));
  CHECK(*signal::interpolate(x, y, 4) == Approx(30));
  CHECK_FALSE(signal::interpolate(x, y, 0.999));
  CHECK_FALSE(signal::interpolate(x, y, 4.001));
  CHECK_FALSE(signal::interpolate(x, y, std::nan("")));
}

TEST_CASE("the pyramid agrees with looking at every sample", "[signal]") {
  std::mt19937_64 random(5);
  for (const std::size_t n : {1u, 15u, 16u, 17u, 1000u, 4096u, 5003u}) {
    std::vector<double> values(n);
    for (double& v : values) v = double(random() % 100000);
    const signal::MinMaxPyramid pyramid(values);
    for (int i = 0; i < 300; ++i) {
      auto a = random() % n, b = random() % n;
      if (a > b) std::swap(a, b);
      const auto range = pyramid.over(a, b + 1);
      const auto [low, high] =
          std::minmax_element(values.begin() + std::ptrdiff_t(a), values.begin() + std::ptrdiff_t(b + 1));
      REQUIRE(range.low == *low);
      REQUIRE(range.high == *high);
    }
  }
}

TEST_CASE("a thinned curve keeps every spike and few points", "[signal]") {
  std::vector<double> x(200000), y(200000, 0.0);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = double(i);
  y[123457] = 9;
  y[50001] = -7;
  const signal::MinMaxPyramid pyramid(y);
  const auto thin = signal::thin_curve(x, y, pyramid, 0, 199999, 800);
  CHECK(thin.x.size() <= 3200);
  CHECK(*std::max_element(thin.y.begin(), thin.y.end()) == 9);
  CHECK(*std::min_element(thin.y.begin(), thin.y.end()) == -7);
  CHECK(std::is_sorted(thin.x.begin(), thin.x.end()));
  const auto near = signal::thin_curve(x, y, pyramid, 123450, 123460, 800);
  CHECK(near.x.size() == 13);
  CHECK(signal::thin_curve(x, y, pyramid, 5, 5, 800).x.empty());
}
