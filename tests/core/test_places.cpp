#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/random.h"
#include "study/clipping.h"
#include "study/places.h"
#include "study/waveform/profile.h"

using namespace heron;

namespace places {
using namespace heron::study;
using namespace heron::study::waveform;

namespace {

/// A slow square with noise and a few spikes: blocks that rest, blocks that cross, runs on the extremes.
std::vector<double> wandering(std::size_t n, unsigned seed) {
  std::mt19937_64 random(seed);
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k)
    out[k] = std::round(100 * ((k / 3001 % 2 ? 1.0 : -0.5) + 0.02 * normal_deviate(random) + (k % 7919 == 0 ? 0.4 : 0))) / 100;
  return out;
}

/// By the definition, sample by sample.
struct Plain {
  double value = 0, squares = 0;
};
Plain plain_integrals(const std::vector<double>& v, double step, double from, double to) {
  Plain out;
  const auto at = [&](double place) {
    const auto k = std::min(std::size_t(place), v.size() - 2);
    return v[k] + (place - double(k)) * (v[k + 1] - v[k]);
  };
  for (double a = from; a < to;) {
    const double b = std::min(to, std::floor(a) + 1), va = at(a), vb = at(b);
    out.value += step * (b - a) * (va + vb) / 2;
    out.squares += step * (b - a) * (va * va + va * vb + vb * vb) / 3;
    a = b;
  }
  return out;
}

}  // namespace

TEST_CASE("what blocks tell of a long record is what its samples tell") {
  const auto v = wandering(70'001, 5);
  const auto trace = trace_of("v", "V", TimeBase(-1e-3, 2e-6), v);
  for (const Stretch over : {Stretch{0, v.size()}, Stretch{1, 70'000}, Stretch{777, 51'300}, Stretch{4096, 8192}, Stretch{300, 310}}) {
    CAPTURE(over.first, over.last);
    for (const auto& [from, to] : {std::pair{double(over.first), double(over.last - 1)}, {double(over.first) + 0.25, double(over.last) - 1.75}}) {
      const auto found = integrals(*trace, from, to);
      REQUIRE(found);
      const auto plain = plain_integrals(v, 2e-6, from, to);
      CHECK(found->value == Approx(plain.value).epsilon(1e-9));
      CHECK(found->squares == Approx(plain.squares).epsilon(1e-9));
      CHECK(found->seconds == Approx((to - from) * 2e-6).epsilon(1e-12));
    }
    for (const double level : {0.25, 0.95, -0.52, 1.38, 3.0}) {
      CAPTURE(level);
      for (const double hysteresis : {0.0, 0.07}) {
        signal::CrossingFinder plain(level, hysteresis);
        plain.add(std::span(v).subspan(over.first, over.size()));
        const auto found = crossings_of(*trace, over, level, hysteresis);
        REQUIRE(found);
        REQUIRE(found->size() == plain.found().size());
        for (std::size_t k = 0; k < found->size(); ++k) {
          CHECK((*found)[k].place == Approx(plain.found()[k].place + double(over.first)));
          CHECK((*found)[k].rising == plain.found()[k].rising);
        }
      }
      for (const bool above : {true, false})
        for (const double share : {0.0, 0.4, 1.0}) {
          const double from = double(over.first) + share * double(over.size() - 1);
          const auto beyond = [&](std::size_t k) { return above ? v[k] >= level : v[k] <= level; };
          std::optional<std::size_t> next, before;
          for (auto k = std::size_t(std::ceil(from)); k < over.last && !next; ++k)
            if (beyond(k)) next = k;
          for (auto k = std::size_t(from) + 1; k-- > over.first && !before;)
            if (beyond(k)) before = k;
          const auto right = first_beyond(*trace, over, from, level, above, true), left = first_beyond(*trace, over, from, level, above, false);
          REQUIRE(right);
          REQUIRE(left);
          REQUIRE(right->has_value() == next.has_value());
          REQUIRE(left->has_value() == before.has_value());
          // Between the last sample that is not there yet and the first that is.
          if (next) CHECK((**right <= double(*next) && **right >= std::max(from, double(*next) - 1)));
          if (before) CHECK((**left >= double(*before) && **left <= std::min(from, double(*before) + 1)));
        }
    }
    const auto p = profile_of(*trace, {}, over);
    REQUIRE(p);
    const auto begin = v.begin() + std::ptrdiff_t(over.first), end = v.begin() + std::ptrdiff_t(over.last);
    CHECK(p->low == *std::min_element(begin, end));
    CHECK(p->high == *std::max_element(begin, end));
  }
}

TEST_CASE("runs on an extreme are counted across the ends of blocks") {
  std::vector<double> v(2000, 0.0);
  for (std::size_t k = 0; k < v.size(); ++k) v[k] = std::sin(double(k) / 50);
  for (std::size_t k = 200; k < 840; ++k) v[k] = 2;
  v[1000] = 2;
  for (std::size_t k = 1100; k < 1105; ++k) v[k] = -3;
  const auto trace = trace_of("v", "V", TimeBase(0, 1e-6), v);
  const auto all = at_ends(*trace, 0, v.size());
  REQUIRE(all);
  CHECK(all->longest_high == 640);
  CHECK(all->longest_low == 5);
  CHECK(all->in_runs == 645);
  CHECK_FALSE(all->two_levels);
  // Of a part only what lies in it.
  const auto part = at_ends(*trace, 300, 1050);
  REQUIRE(part);
  CHECK(part->longest_high == 540);
  CHECK(part->low > -3);
  const auto p = profile_of(*trace, {}, {0, v.size()});
  REQUIRE(p);
  CHECK(p->longest_at_high == 640);
  CHECK(at_ends(*trace_of("v", "V", TimeBase(0, 1), std::vector<double>(500, 1.0)), 0, 500)->longest_high == 500);
}

TEST_CASE("the end that a trace stands against is the one of its range, else the one that it is longest at") {
  // 640 samples at 2 V, which may be no end, and 5 at -3 V.
  const AtEnds ends{.low = -3, .high = 2, .longest_low = 5, .longest_high = 640, .in_runs = 645};
  const auto at = [&](std::optional<double> lowest, std::optional<double> highest, const AtEnds& of, double quantum = 0.2) {
    const auto found = clipped(of, {.quantum = quantum, .lowest = lowest, .highest = highest}, 2000);
    return found ? std::pair{found->at, found->samples} : std::pair{0.0, std::size_t(0)};
  };
  CHECK(at(-3, 5, ends) == std::pair{-3.0, std::size_t(5)});
  CHECK(at(-5, 2, ends) == std::pair{2.0, std::size_t(640)});
  CHECK(at(-3, 2, ends) == std::pair{2.0, std::size_t(640)});
  CHECK(at(-5, 5, ends).second == 0);
  // Within half a count of it.
  CHECK(at(-3.09, 5, ends).second == 5);
  CHECK(at(-3.11, 5, ends).second == 0);
  CHECK(at(-5, 2.09, ends).second == 640);
  CHECK(at(-5, 2.11, ends).second == 0);
  auto brief = ends;
  brief.longest_low = 2;
  CHECK(at(-3, 5, brief).second == 0);
  brief.longest_low = 3;
  CHECK(at(-3, 5, brief).second == 3);
  // Of no known range more than a twentieth of 2000 samples must rest.
  CHECK(at({}, {}, ends) == std::pair{2.0, std::size_t(640)});
  brief.in_runs = 100;
  CHECK(at({}, {}, brief).second == 0);
  brief.in_runs = 101;
  CHECK(at({}, {}, brief).second == 640);
  brief.two_levels = true;
  CHECK(at({}, {}, brief).second == 0);
}

TEST_CASE("samples at uneven times are integrated at their own") {
  auto times = std::make_shared<std::vector<double>>();
  std::vector<double> v;
  std::mt19937_64 random(9);
  double t = 0;
  for (int k = 0; k < 5000; ++k) {
    times->push_back(t);
    v.push_back(3 * t + 1);
    t += 1e-3 * (1 + double(random() % 100) / 50);
  }
  const auto trace = trace_of("v", "V", TimeBase(times), v);
  const double end = times->back();
  const auto found = integrals(*trace, 0, 4999);
  REQUIRE(found);
  CHECK(found->value == Approx(1.5 * end * end + end));
  CHECK(found->seconds == Approx(end));
}

}  // namespace places
