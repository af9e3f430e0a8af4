#include <catch2/catch.hpp>
#include <complex>

#include "signal/spectra.h"
#include "support.h"

using namespace heron;
using std::numbers::pi;
using Complex = std::complex<double>;

namespace {

std::vector<double> gaussian(std::size_t n, double rms, std::mt19937_64& random) {
  std::normal_distribution<double> normal(0, rms);
  std::vector<double> out(n);
  for (auto& v : out) v = normal(random);
  return out;
}

/// Spectra by the definition: a sum of sines and cosines for every line of every segment.
signal::Spectra by_definition(const std::vector<double>& x, const std::vector<double>& y, std::size_t segment,
                              std::size_t step) {
  signal::Spectra out{.xx = std::vector<double>(segment / 2 + 1), .yy = out.xx, .xy = {}};
  out.xy.resize(segment / 2 + 1);
  double mx = 0, my = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    mx += x[i] / double(x.size());
    my += y[i] / double(x.size());
  }
  for (std::size_t first = 0; first + segment <= x.size(); first += step) {
    ++out.segments;
    for (std::size_t k = 0; k <= segment / 2; ++k) {
      Complex a = 0, b = 0;
      for (std::size_t i = 0; i < segment; ++i) {
        const double w = 0.5 - 0.5 * std::cos(2 * pi * double(i) / double(segment));
        const Complex turn = std::polar(w, -2 * pi * double(k * i % segment) / double(segment));
        a += turn * (x[first + i] - mx);
        b += turn * (y[first + i] - my);
      }
      out.xx[k] += std::norm(a);
      out.yy[k] += std::norm(b);
      out.xy[k] += std::conj(a) * b;
    }
  }
  return out;
}

}  // namespace

TEST_CASE("averaged spectra are those of the definition, also for channels of very unlike size", "[spectra]") {
  std::mt19937_64 random(3);
  for (const double size : {1.0, 1e-5, 1e6}) {
    auto x = gaussian(700, 1, random), y = gaussian(700, 1, random);
    for (std::size_t i = 0; i < x.size(); ++i) {
      y[i] = size * (0.4 * x[i] + y[i] + 3);
      x[i] += 0.7;
    }
    const auto exact = by_definition(x, y, 64, 32);
    signal::SpectraSum sum({.segment = 64}, 1000);
    sum.add(x, y);
    const auto seen = sum.mean();
    REQUIRE(seen.segments == exact.segments);
    CHECK(seen.line == Approx(1000.0 / 64));
    // The mean's own lines, 0 and 1 of this window, hang on how the record's ends are weighed.
    for (std::size_t k = 2; k <= 32; ++k) {
      INFO("line " << k << ", size " << size);
      CHECK(seen.xx[k] * exact.segments == Approx(exact.xx[k]).epsilon(1e-10));
      CHECK(seen.yy[k] * exact.segments == Approx(exact.yy[k]).epsilon(1e-10));
      CHECK(std::abs(seen.xy[k] * double(exact.segments) - exact.xy[k]) < 1e-10 * std::sqrt(exact.xx[k] * exact.yy[k]));
    }
  }
}

TEST_CASE("a large mean does not drown the lowest line", "[spectra]") {
  std::mt19937_64 random(8);
  auto x = gaussian(64 + 63 * 32, 1, random);
  std::vector<double> y = x;
  for (std::size_t i = 0; i < x.size(); ++i) {
    y[i] = 2 * x[i] - 5e4;
    x[i] += 1e4;
  }
  signal::SpectraSum sum({.segment = 64}, 1);
  sum.add(x, y);
  const auto s = sum.mean();
  CHECK(std::abs(s.xy[1] / s.xx[1] - 2.0) < 1e-3);
  CHECK(signal::coherence(s, 1) > 0.999);
}

TEST_CASE("H1, its spread and the coherence are those of theory for noise of known power", "[spectra][response]") {
  // y = a x + n with white x and n: g2 = a^2/(a^2 + n^2) at every line.
  const double a = 0.5, noise = 0.35, g2 = a * a / (a * a + noise * noise);
  const signal::SpectraSetup setup{.segment = 64};
  std::mt19937_64 random(2026);
  double sum_re = 0, sum_im = 0, squares = 0, sum_g = 0, squares_g = 0, independent = 0, claimed = 0;
  double sum_h2 = 0;
  int count = 0;
  for (int run = 0; run < 400; ++run) {
    const auto x = gaussian(64 + 39 * 32, 1, random), n = gaussian(x.size(), noise, random);
    std::vector<double> y(x.size());
    for (std::size_t i = 0; i < x.size(); ++i) y[i] = a * x[i] + n[i];
    signal::SpectraSum sum(setup, 1);
    sum.add(x, y);
    const auto s = sum.mean();
    independent = s.independent;
    for (std::size_t k = 4; k < 30; k += 3) {
      const Complex h = s.xy[k] / s.xx[k];
      const double g = signal::coherence(s, k);
      sum_re += h.real();
      sum_im += h.imag();
      squares += std::norm(h - a);
      sum_g += g;
      squares_g += g * g;
      sum_h2 += std::abs(s.yy[k] / std::conj(s.xy[k]));
      claimed += std::pow(signal::u_of_response(g, s.independent), 2);
      ++count;
    }
  }
  // 40 Hann segments at half overlap are worth 40/(1 + 2 (39/40)/36) of them.
  CHECK(independent == Approx(40 / (1 + 2 * 39.0 / 40 / 36)).epsilon(1e-6));
  const double spread = std::sqrt(squares / count / 2) / a;  // each quadrature
  const double theory = std::sqrt((1 - g2) / (2 * g2 * independent));
  CHECK(sum_re / count == Approx(a).margin(4 * a * theory / std::sqrt(count / 1.5)));
  CHECK(sum_im / count == Approx(0).margin(4 * a * theory / std::sqrt(count / 1.5)));
  CHECK(spread == Approx(theory).epsilon(0.06));
  CHECK(std::sqrt(claimed / count) == Approx(theory).epsilon(0.06));
  // The estimate of the coherence lies high by (1-g2)^2/n (1 + 2 g2/n) and spreads by sqrt(2 g2) (1-g2)/sqrt(n)
  // (Bendat and Piersol).
  const double mean_g = sum_g / count, bias = std::pow(1 - g2, 2) / independent * (1 + 2 * g2 / independent);
  CHECK(mean_g - g2 == Approx(bias).margin(0.004));
  CHECK(std::sqrt(squares_g / count - mean_g * mean_g) ==
        Approx(std::sqrt(2 * g2) * (1 - g2) / std::sqrt(independent)).epsilon(0.1));
  // H2 puts the noise on the gain: |H2| = |H1|/g2.
  CHECK(sum_h2 / count == Approx(a / g2).epsilon(0.02));
}

TEST_CASE("windows have the noise bandwidths that Harris gives", "[spectra]") {
  const auto bandwidth = [](signal::Window window) {
    double sum = 0, squares = 0;
    const auto w = signal::window_weights(window, 4096);
    for (const double v : w) {
      sum += v;
      squares += v * v;
    }
    return 4096 * squares / (sum * sum);
  };
  CHECK(bandwidth(signal::Window::rectangular) == Approx(1));
  CHECK(bandwidth(signal::Window::hann) == Approx(1.5));
  CHECK(bandwidth(signal::Window::blackman_harris) == Approx(2.0044).epsilon(1e-4));
  CHECK(bandwidth(signal::Window::flat_top) == Approx(3.7702).epsilon(1e-3));
  CHECK_FALSE(signal::window_from_text("square"));
}

TEST_CASE("records shorter than a segment, silent channels and odd set-ups are no trouble", "[spectra]") {
  signal::SpectraSum sum({.segment = 64}, 1);
  sum.add(std::vector<double>(63, 1.0), std::vector<double>(63, 1.0));
  CHECK(sum.mean().segments == 0);
  sum.add(std::vector<double>(64, 2.0), std::vector<double>(64, 0.0));
  const auto silent = sum.mean();
  CHECK(silent.segments == 1);
  CHECK(signal::coherence(silent, 3) == 0);
  CHECK(std::isinf(signal::u_of_response(0, 10)));
  CHECK_FALSE(signal::check({.segment = 7}));
  CHECK_FALSE(signal::check({.overlap = 1}));
}
