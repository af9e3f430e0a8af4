#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/random.h"
#include "study/switching/samples.h"

using namespace heron;

/// What is read off the samples around an event.
namespace switching_samples {
namespace {

namespace switching = study::switching;
using signal::Towards;
using switching::Samples;

/// A sample a second from 0 on.
Samples samples(std::vector<double> y, double noise = 0, double together = 1) {
  Samples out{.noise = noise, .together = together};
  for (std::size_t k = 0; k < y.size(); ++k) out.t.push_back(double(k));
  out.y = std::move(y);
  return out;
}
/// At other times.
Samples at_times(std::vector<double> t, std::vector<double> y) {
  Samples out;
  out.t = std::move(t);
  out.y = std::move(y);
  return out;
}
constexpr double kNone = -1;
double crossing(const std::vector<double>& y, double level, double band, bool rising) { return switching::clear_crossing(samples(y), level, band, rising).value_or(kNone); }

}  // namespace

TEST_CASE("a clear crossing comes from well below and leaves well above", "[switching]") {
  CHECK(crossing({0, 4, 8}, 5, 2, true) == Approx(1.25));
  CHECK(crossing({8, 4, 0}, 5, 2, false) == Approx(0.75));
  CHECK(crossing({0, 4, 8}, 5, 2, false) == kNone);
  // Not from well below, and not to well above; exactly at the band is neither.
  CHECK(crossing({4, 8, 8}, 5, 2, true) == kNone);
  CHECK(crossing({3, 8, 8}, 5, 2, true) == kNone);
  CHECK(crossing({2.9, 8, 8}, 5, 2, true) == Approx(2.1 / 5.1));
  CHECK(crossing({0, 7, 7}, 5, 2, true) == kNone);
  CHECK(crossing({0, 7.1, 7}, 5, 2, true) == Approx(5 / 7.1));
  // The first passage counts, though it chatters about the level, and not one that goes back again.
  CHECK(crossing({0, 6, 4, 6, 9}, 5, 2, true) == Approx(5.0 / 6));
  CHECK(crossing({0, 6, 0, 9}, 5, 2, true) == Approx(2 + 5.0 / 9));
  CHECK(crossing({0, 5, 9}, 5, 2, true) == Approx(1));
  CHECK(crossing({9, 0, 9}, 5, 2, true) == Approx(1 + 5.0 / 9));
  CHECK(crossing({}, 5, 2, true) == kNone);
  // The same the other way.
  CHECK(crossing({7, 2, 2}, 5, 2, false) == kNone);
  CHECK(crossing({7.1, 2, 2}, 5, 2, false) == Approx(2.1 / 5.1));
  CHECK(crossing({10, 3, 3}, 5, 2, false) == kNone);
  CHECK(crossing({10, 2.9, 3}, 5, 2, false) == Approx(5 / 7.1));
  CHECK(switching::clear_crossing(at_times({0, 10, 30}, {0, 4, 8}), 5, 2, true) == 15);
}

TEST_CASE("an instant has the place of its line, and what noise makes of that", "[switching]") {
  // 10 a sample: a noise of 0.1 on both ends of the line moves the middle by 0.1/10 over the root of two.
  const auto exact = switching::past(samples({0, 10, 20, 30}), 0, 15, true, true);
  REQUIRE(exact);
  CHECK(exact->t == Approx(1.5));
  CHECK(exact->u == Approx(0).margin(1e-12));
  const auto noisy = switching::past(samples({0, 10, 20, 30}, 0.1), 0, 15, true, true);
  CHECK(noisy->u == Approx(0.01 / std::sqrt(2.0)));
  CHECK(switching::past(samples({0, 10, 20, 30}, 0.1, 9), 0, 15, true, true)->u == Approx(0.03 / std::sqrt(2.0)));
  CHECK(switching::past(samples({0, 10, 20, 30}), 3, 5, false, false)->t == Approx(0.5));
  CHECK(switching::past(samples({0, 10, 20, 30}), 0, 25, true, true)->t == Approx(2.5));
  CHECK_FALSE(switching::past(samples({0, 10, 20, 30}), 0, 35, true, true));
  // Near its end on either side.
  CHECK(switching::past(samples({0, 10, 20, 30}), 3, 2, false, false)->t == Approx(0.2));
  CHECK(switching::past(samples({0, 10, 20, 30}), 0, 8, true, true)->t == Approx(0.8));
  CHECK(switching::past(samples({30, 20, 10, 0}), 3, 28, true, false)->t == Approx(0.2));
  CHECK(switching::past(samples({30, 20, 10, 0}), 0, 2, false, true)->t == Approx(2.8));
  // What stands there already has no passage; half a sample is left of where it begins.
  const auto begins = switching::past(samples({20, 20, 20, 20}), 1, 15, true, true);
  REQUIRE(begins);
  CHECK(begins->t == 1);
  CHECK(begins->u == 0.5);
  CHECK(switching::past(samples({20}), 0, 15, true, true)->u == 0);
  const auto later = switching::past(at_times({10, 14, 18}, {20, 20, 20}), 14, 15, true, true);
  CHECK(later->t == 14);
  CHECK(later->u == 2);
  CHECK(*switching::first_past(samples({0, 10}), 0, 5, true, true) == Approx(0.5));
  CHECK(*switching::first_past(samples({10, 10, 0}), 1, 5, true, true) == 1);
  CHECK(*switching::first_past(samples({0, 10, 20}), 5, 5, true, false) == 2);
  // By its own times, whatever their steps.
  const auto uneven = switching::past(at_times({0, 1, 3, 4}, {0, 10, 30, 40}), 0, 20, true, true);
  CHECK(uneven->t == Approx(2));
  CHECK(uneven->u == Approx(0).margin(1e-12));
  CHECK(switching::past(at_times({0, 1, 3, 4}, {0, 10, 30, 40}), 0, 35, true, true)->t == Approx(3.5));
}

TEST_CASE("of a slow edge in noise many samples tell the place, better than any two of them", "[switching]") {
  std::mt19937_64 random(3);
  double squares = 0, u = 0;
  constexpr int kTimes = 200;
  for (int n = 0; n < kTimes; ++n) {
    std::vector<double> y;
    for (int k = 0; k < 80; ++k) y.push_back(k - 40.3 + normal_deviate(random));
    const auto s = samples(y, 1);
    const auto at = switching::past(s, 20, 0, true, true);
    REQUIRE(at);
    squares += std::pow(at->t - 40.3, 2) / kTimes;
    u += at->u / kTimes;
  }
  CHECK(std::sqrt(squares) < 0.8);
  CHECK(std::sqrt(squares) / u == Approx(1).epsilon(0.3));
}

TEST_CASE("the highest and lowest between two times", "[switching]") {
  const auto s = samples({0, 1, 2, 3, 4, 3, 2, 1, 0, -1, -2, -3, -2, -1, 0});
  const auto top = switching::extreme(s, 0, 14, Towards::high);
  REQUIRE(top);
  CHECK(top->value == Approx(4));
  CHECK(top->t == 4);
  const auto bottom = switching::extreme(s, 0, 14, Towards::low);
  CHECK(bottom->value == Approx(-3));
  CHECK(bottom->t == 11);
  // Both ends count, what is beyond does not.
  CHECK(switching::extreme(s, 5, 8, Towards::high)->value == Approx(3));
  CHECK(switching::extreme(s, 5, 8, Towards::high)->t == 5);
  CHECK(switching::extreme(s, 5, 8, Towards::low)->t == 8);
  CHECK(switching::extreme(s, 8, 8, Towards::low)->value == 0);
  CHECK_FALSE(switching::extreme(s, 7.2, 7.8, Towards::high));
  CHECK_FALSE(switching::extreme(s, 20, 30, Towards::high));
  CHECK_FALSE(switching::extreme(s, 8, 5, Towards::high));
  SECTION("a tip between samples lies where its flanks meet") {
    std::vector<double> y;
    for (int k = 0; k < 15; ++k) y.push_back(k < 7.3 ? 10 - (7.3 - k) : 10 - 2 * (k - 7.3));
    const auto exact = switching::extreme(samples(y), 0, 14, Towards::high);
    CHECK(exact->value == Approx(10));
    CHECK(exact->t == 7);
    const auto noisy = switching::extreme(samples(y, 0.02, 4), 0, 14, Towards::high);
    CHECK(noisy->value == Approx(10));
    CHECK(noisy->u == Approx(0.02 * 2.5 * 2));
  }
  SECTION("a round top is read by its samples, and noise that errs alike counts for more") {
    std::vector<double> y;
    for (int k = 0; k < 61; ++k) y.push_back(5 - std::pow((k - 30) / 30.0, 2));
    const auto one = switching::extreme(samples(y, 0.01), 10, 50, Towards::high), four = switching::extreme(samples(y, 0.01, 4), 10, 50, Towards::high);
    CHECK(one->value == Approx(5).margin(0.005));
    CHECK(one->t == Approx(30).margin(1));
    CHECK(one->u > 0);
    CHECK(four->u == Approx(2 * one->u));
  }
}

TEST_CASE("integrals of straight lines are exact, and noise adds as its samples do", "[switching]") {
  const auto s = at_times({0, 1, 3, 4, 7}, {0, 2, 2, 5, 5});
  CHECK(switching::integral(s, 0, 7, 0).value == Approx(1 + 4 + 3.5 + 15));
  CHECK(switching::integral(s, 0, 7, 2).value == Approx(1 + 4 + 3.5 + 15 - 14));
  // From and to within: 0.5 to 1 by a mean of 1.5, 1 to 3, 3 to 3.5 by a mean of 2.75.
  CHECK(switching::integral(s, 0.5, 3.5, 0).value == Approx(0.75 + 4 + 1.375));
  CHECK(switching::integral(s, 1, 3, 0).value == Approx(4));
  // It holds beyond its ends.
  CHECK(switching::integral(s, 6, 9, 0).value == Approx(15));
  CHECK(switching::integral(s, 8, 9, 1).value == Approx(4));
  CHECK(switching::integral(s, 3, 3, 0).value == 0);
  auto noisy = s;
  noisy.noise = 0.1;
  CHECK(switching::integral(noisy, 0, 7, 0).u == Approx(0.1 * std::sqrt(1 + 4 + 1 + 9)));
  noisy.together = 4;
  CHECK(switching::integral(noisy, 0, 7, 0).u == Approx(0.2 * std::sqrt(1 + 4 + 1 + 9)));
  CHECK(switching::integral(noisy, 0.5, 3.5, 0).u == Approx(0.2 * std::sqrt(0.25 + 4 + 0.25)));
}

TEST_CASE("a product's energy bends where either factor does, and holds beyond the ends of both", "[switching]") {
  const auto v = at_times({0, 2}, {1, 3}), i = at_times({0, 1, 2}, {0, 4, 0});
  // (1 + t) 4t until 1 s, then (1 + t)(8 - 4t).
  CHECK(switching::energy_between(v, i, 0, 2) == Approx(10.0 / 3 + 14.0 / 3));
  CHECK(switching::energy_between(i, v, 0, 2) == Approx(8));
  CHECK(switching::energy_between(v, i, 1, 2) == Approx(14.0 / 3));
  CHECK(switching::energy_between(v, i, 0.5, 1) == Approx(4 * (0.375 + 7.0 / 24)));
  const auto brief = at_times({0, 1}, {0, 4});
  CHECK(switching::energy_between(v, brief, 0, 2) == Approx(10.0 / 3 + 10));
  CHECK(switching::energy_between(brief, v, 0, 2) == Approx(10.0 / 3 + 10));
  CHECK(switching::energy_between(brief, v, 0, 3) == Approx(10.0 / 3 + 10 + 12));
}

TEST_CASE("noise on either factor of an energy counts by the other", "[switching]") {
  // 2 V and 3 A, a sample a second and every half of one.
  auto v = samples({2, 2, 2, 2, 2, 2}), i = at_times({0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5, 4, 4.5, 5}, std::vector<double>(11, 3.0));
  CHECK(switching::u_energy(v, i, 1, 4) == 0);
  v.noise = 0.1;
  // Samples at 1, 2 and 3 s, each a second long.
  CHECK(switching::u_energy(v, i, 1, 4) == Approx(0.1 * 3 * std::sqrt(3.0)));
  v.together = 4;
  CHECK(switching::u_energy(v, i, 1, 4) == Approx(0.2 * 3 * std::sqrt(3.0)));
  i.noise = 0.05;
  i.together = 9;
  // And six of half a second.
  CHECK(switching::u_energy(v, i, 1, 4) == Approx(std::hypot(0.6 * std::sqrt(3.0), 0.15 * 2 * std::sqrt(6 * 0.25))));
  // The last sample has nothing after it.
  i.noise = 0;
  CHECK(switching::u_energy(v, i, 3, 99) == Approx(0.6 * std::sqrt(2.0)));
}

TEST_CASE("a record at half its rate keeps its noise and every second sample", "[switching]") {
  const auto s = switching::every_second(samples({5, 6, 7, 8, 9}, 0.3, 2));
  CHECK(s.t == std::vector<double>{0, 2, 4});
  CHECK(s.y == std::vector<double>{5, 7, 9});
  CHECK(s.noise == 0.3);
  CHECK(s.together == 2);
}

TEST_CASE("samples within two times have one more on either side where there is one", "[switching]") {
  switching::Sensed of;
  of.trace = study::trace_of("i_d", "A", study::TimeBase(0, 1), {0, 10, 20, 30, 40, 50});
  of.noise = 0.5;
  of.together = 2;
  const auto some = switching::samples_of(of, 1.5, 3.5);
  REQUIRE(some);
  CHECK(some->t == std::vector<double>{1, 2, 3, 4});
  CHECK(some->y == std::vector<double>{10, 20, 30, 40});
  CHECK(some->noise == 0.5);
  CHECK(some->together == 2);
  CHECK(switching::samples_of(of, 0.5, 3.5)->t == std::vector<double>{0, 1, 2, 3, 4});
  CHECK(switching::samples_of(of, 1.5, 4.5)->t == std::vector<double>{1, 2, 3, 4, 5});
  CHECK(switching::samples_of(of, -5, 99)->t.size() == 6);
  CHECK(switching::samples_of(of, 0, 5)->t.size() == 6);
  CHECK(switching::samples_of(of, 2, 2)->t == std::vector<double>{1, 2, 3});
  of.trace = study::trace_of("i_d", "A", study::TimeBase(0, 1), std::vector<double>{});
  const auto none = switching::samples_of(of, 0, 5);
  REQUIRE_FALSE(none);
  CHECK(none.error().message == "Nothing of i_d lies there.");
}

}  // namespace switching_samples
