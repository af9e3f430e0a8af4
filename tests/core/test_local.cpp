#include <catch2/catch.hpp>
#include <random>

#include "signal/local.h"

using namespace heron;

namespace local_test {
namespace {

constexpr double kNoise = 1e-3;
constexpr int kRecords = 400;

/// A record of a shape whose turn is at a place, between the samples, with noise.
std::vector<double> noisy(double (*shape)(double), double width, double place, std::size_t n, std::mt19937_64& random) {
  std::normal_distribution<double> noise(0, kNoise);
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k) out[k] = shape((double(k) - place) / width) + noise(random);
  return out;
}

/// Mean and standard deviation of errors in units of what they are stated to be.
struct Held {
  double sum = 0, squares = 0;
  int n = 0;
  void add(double error, double u) {
    sum += error / u;
    squares += error * error / (u * u);
    ++n;
  }
  double bias() const { return sum / n; }
  double spread() const { return std::sqrt(squares / n - bias() * bias()); }
};

double bell(double x) { return std::exp(-x * x / 2); }
double cosine(double x) { return std::cos(x); }
double hump(double x) { return 1 / (1 + x * x); }

}  // namespace

TEST_CASE("the top of a bump is read as well as is said, whatever its shape", "[local]") {
  std::mt19937_64 random(17);
  std::uniform_real_distribution<double> between(-0.5, 0.5);
  for (const auto shape : {bell, cosine, hump})
    for (const double width : {8.0, 40.0, 300.0}) {
      Held value, place;
      for (int k = 0; k < kRecords; ++k) {
        const double at = 2 * width + between(random);
        const auto record = noisy(shape, width, at, std::size_t(4 * width), random);
        const auto top = std::size_t(std::max_element(record.begin(), record.end()) - record.begin());
        const auto found = signal::extreme_near(record, top, kNoise);
        value.add(found.value - 1, found.u_value);
        place.add(found.place - at, found.u_place);
      }
      INFO("width " << width << ": value " << value.bias() << " " << value.spread() << ", place " << place.bias() << " "
                    << place.spread());
      CHECK(std::abs(value.bias()) < 0.7);
      CHECK(value.spread() < 1.4);
      CHECK(value.spread() > 0.6);
      CHECK(std::abs(place.bias()) < 0.2);
      CHECK(place.spread() < 1.4);
      CHECK(place.spread() > 0.5);
    }
}

TEST_CASE("a low is a high turned over, and a record backwards has its top where it was", "[local]") {
  std::mt19937_64 random(5);
  auto record = noisy(bell, 30, 70.3, 160, random);
  const auto top = std::size_t(std::max_element(record.begin(), record.end()) - record.begin());
  const auto high = signal::extreme_near(record, top, kNoise);
  auto back = record;
  std::reverse(back.begin(), back.end());
  const auto mirrored = signal::extreme_near(back, record.size() - 1 - top, kNoise);
  CHECK(mirrored.value == Approx(high.value).epsilon(1e-9));
  CHECK(double(record.size() - 1) - mirrored.place == Approx(high.place).epsilon(1e-9));
  CHECK(mirrored.u_value == Approx(high.u_value).epsilon(1e-6));
  for (double& v : record) v = -v;
  const auto low = signal::extreme_near(record, top, kNoise, signal::Towards::low);
  CHECK(low.value == Approx(-high.value).epsilon(1e-12));
  CHECK(low.place == Approx(high.place).epsilon(1e-12));
  CHECK(low.u_value == Approx(high.u_value).epsilon(1e-12));
  CHECK(low.u_place == Approx(high.u_place).epsilon(1e-12));
}

TEST_CASE("without noise a smooth top is exact far below a sample, and a corner is the sample itself", "[local]") {
  std::vector<double> smooth(201), corner(201);
  for (std::size_t k = 0; k < smooth.size(); ++k) {
    smooth[k] = std::cos((double(k) - 99.7) / 50);
    corner[k] = 1 - std::abs(double(k) - 100) / 50;
  }
  const auto top = signal::extreme_near(smooth, 100, 0);
  CHECK(top.value == Approx(1).margin(1e-5));
  CHECK(top.place == Approx(99.7).margin(0.02));
  const auto tip = signal::extreme_near(corner, 100, 0);
  CHECK(tip.value == 1);
  CHECK(tip.place == 100);
}

TEST_CASE("a glitch of few samples is the extreme that it is, not the noise beside it", "[local]") {
  std::mt19937_64 random(41);
  for (const std::size_t wide : {1, 2, 3})
    for (const double height : {0.02, 1.0, 300.0}) {
      Held held;
      for (int k = 0; k < kRecords; ++k) {
        auto record = noisy([](double) { return 0.0; }, 1, 0, 200, random);
        for (std::size_t j = 0; j < wide; ++j) record[100 + j] += height;
        const auto top = std::size_t(std::max_element(record.begin(), record.end()) - record.begin());
        const auto found = signal::extreme_near(record, top, kNoise);
        held.add(found.value - height, found.u_value);
        CHECK(std::abs(found.place - double(top)) <= 1);
      }
      INFO(wide << " samples of " << height << ": " << held.bias() << " " << held.spread());
      // Of three that are equally high noise chooses the highest.
      CHECK(std::abs(held.bias()) < 1.2);
      CHECK(held.spread() < 1.4);
    }
  std::vector<double> still(200, 0.5);
  still[60] = -3;
  CHECK(signal::extreme_near(still, 60, 0, signal::Towards::low).value == -3);
}

TEST_CASE("an extreme at an end, of a few samples or of equal ones is a value of the record", "[local]") {
  for (const std::size_t n : {1, 2, 3, 5, 11, 50}) {
    std::vector<double> rising(n);
    for (std::size_t k = 0; k < n; ++k) rising[k] = double(k);
    for (const double noise : {0.0, 0.1}) {
      const auto last = signal::extreme_near(rising, n - 1, noise);
      INFO(n << " samples, noise " << noise);
      CHECK(last.value == Approx(double(n - 1)).margin(1e-9));
      CHECK(std::isfinite(last.u_value));
      const auto flat = signal::extreme_near(std::vector<double>(n, 2.5), n / 2, noise);
      CHECK(flat.value == Approx(2.5));
      CHECK(flat.u_value <= noise + 1e-12);
    }
  }
}

TEST_CASE("a passage through a level is placed as well as is said, steep or slow", "[local]") {
  std::mt19937_64 random(29);
  std::uniform_real_distribution<double> between(-0.5, 0.5);
  for (const double width : {2.0, 60.0, 2000.0}) {
    Held held;
    for (int k = 0; k < kRecords; ++k) {
      const double at = 3 * width + between(random);
      const auto record = noisy([](double x) { return std::tanh(x); }, width, at, std::size_t(6 * width), random);
      std::size_t near = 0;
      while (record[near + 1] < 0) ++near;
      const auto found = signal::crossing_near(record, double(near), 0, kNoise);
      REQUIRE(found);
      held.add(found->place - at, found->u_place);
    }
    INFO("width " << width << ": " << held.bias() << " " << held.spread());
    CHECK(std::abs(held.bias()) < 0.3);
    CHECK(held.spread() < 1.4);
    CHECK(held.spread() > 0.5);
  }
}

TEST_CASE("noise is told beside the waveform that it lies on", "[local]") {
  std::mt19937_64 random(31);
  for (const double width : {80.0, 600.0, 5000.0})
    for (const std::size_t n : {200, 20000})
      CHECK(signal::noise_of(noisy(cosine, width, 0, n, random)) == Approx(kNoise).epsilon(0.15));
  CHECK(signal::noise_of(std::vector<double>(1000, 3.0)) == 0);
  CHECK(signal::noise_of(std::vector<double>(7, 3.0)) == 0);
}

}  // namespace local_test
