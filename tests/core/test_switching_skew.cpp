#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/random.h"
#include "study/switching/skew.h"

using namespace heron;

/// Currents that come and go in S-shaped edges of 100 ns, and what a loop's inductance drops of a bus of 100 V meanwhile.
namespace switching_skew {
namespace {

namespace switching = study::switching;
using switching::Core;
using switching::Event;
using switching::Skew;

constexpr double kNano = 1e-9, kEdge = 100 * kNano, kBus = 100, kLoad = 10;

double share(double x) { return x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x); }
double steepness(double x) { return x <= 0 || x >= 1 ? 0 : 6 * x * (1 - x); }

struct Given {
  bool on = true;
  double late = 0;            ///< s
  double inductance = 30e-9;  ///< H
  double pickup = 0;          ///< s of its own slope
  double v_noise = 0, i_noise = 0;
  unsigned seed = 1;
};
/// From 300 ns before the current's edge to 500 ns after its beginning; the voltage falls or rises on its far side.
Core core(const Given& g) {
  std::mt19937_64 random(g.seed);
  Core out{.from = -300 * kNano, .to = 500 * kNano, .v = {}, .i = {}, .g = {}, .v_f = {}, .i_f = {}};
  const auto current = [&](double t) {
    const double x = t / kEdge;
    return g.on ? kLoad * share(x) : kLoad * (1 - share(x));
  };
  const auto slope = [&](double t) { return (g.on ? 1 : -1) * kLoad / kEdge * steepness(t / kEdge); };
  for (double t = out.from; t <= out.to; t += kNano) {
    // Turned on it falls from 120 ns on; turned off it has risen by -50 ns.
    const double bus = g.on ? kBus * (1 - share((t - 120 * kNano) / (50 * kNano))) : kBus * share((t + 100 * kNano) / (50 * kNano));
    out.v.t.push_back(t);
    out.v.y.push_back(bus - g.inductance * slope(t) + g.v_noise * normal_deviate(random));
    out.i.t.push_back(t);
    out.i.y.push_back(current(t - g.late) + g.pickup * slope(t - g.late) + g.i_noise * normal_deviate(random));
  }
  out.v.noise = g.v_noise;
  out.i.noise = g.i_noise;
  return out;
}
Event event(bool on, double u_bus = 0) { return {.on = on, .at = on ? 145 * kNano : -75 * kNano, .from = -300 * kNano, .to = 500 * kNano, .current_at = 50 * kNano, .bus = {kBus, u_bus}, .load = {kLoad, 0}, .gate_low = {}, .gate_high = {}}; }

}  // namespace

TEST_CASE("a skew is what the integral of the inductive drop says, at either event", "[switching]") {
  for (const bool on : {true, false})
    for (const double late : {-20.0, -3.0, 0.0, 0.6, 5.0, 20.0}) {
      CAPTURE(on, late);
      const auto found = switching::skew_of(core({.on = on, .late = late * kNano}), event(on));
      REQUIRE(found);
      CHECK(found->value == Approx(late * kNano).margin(0.1 * kNano));
      CHECK(found->inductance == Approx(30e-9).epsilon(0.01));
      // Neighbouring samples of the drop differ by 0.0594 of 1.5 at most: so much of a sample is not known.
      CHECK(found->u == Approx(0.0594 / 1.5 * kNano / std::sqrt(12.0)).epsilon(0.05));
    }
}

TEST_CASE("without a drop that stands out nothing is said of a skew", "[switching]") {
  for (const bool on : {true, false}) {
    CHECK_FALSE(switching::skew_of(core({.on = on, .inductance = 0}), event(on)));
    // The wrong way round: a current that falls cannot take the voltage down.
    CHECK_FALSE(switching::skew_of(core({.on = on, .inductance = -30e-9}), event(on)));
    // A drop of 4.5 V at its peak in noise.
    CHECK(switching::skew_of(core({.on = on, .v_noise = 0.3}), event(on)));
    CHECK_FALSE(switching::skew_of(core({.on = on, .v_noise = 20}), event(on)));
    auto flat = core({.on = on});
    for (auto& y : flat.i.y) y = 0;
    CHECK_FALSE(switching::skew_of(flat, event(on)));
  }
  auto never = core({.on = false});
  for (auto& y : never.v.y) y = std::min(y, 99.0);
  CHECK_FALSE(switching::skew_of(never, event(false)));
}

TEST_CASE("what is said of a skew is how far noise and the bus move it", "[switching]") {
  double squares = 0, u = 0;
  constexpr int kTimes = 30;
  for (int n = 0; n < kTimes; ++n) {
    const auto found = switching::skew_of(core({.late = 2 * kNano, .v_noise = 0.2, .i_noise = 0.05, .seed = unsigned(100 + n)}), event(true));
    REQUIRE(found);
    squares += std::pow(found->value - 2 * kNano, 2) / kTimes;
    u += found->u / kTimes;
  }
  CHECK(std::sqrt(squares) / u == Approx(1).epsilon(0.35));
  // A bus that is half a volt off is a slope in the integral: what that moves is told as well.
  const auto sure = switching::skew_of(core({}), event(true)), unsure = switching::skew_of(core({}), event(true, 0.5));
  auto off = event(true);
  off.bus.value += 0.5;
  const auto moved = switching::skew_of(core({}), off);
  REQUIRE(moved);
  CHECK(unsure->u == Approx(std::hypot(sure->u, moved->value - sure->value)));
  CHECK(unsure->u > 2 * sure->u);
}

TEST_CASE("two events are weighed by what they are known to, and less is known where they disagree", "[switching]") {
  CHECK_FALSE(switching::combined({}));
  const auto one = switching::combined({Skew{3 * kNano, 2 * kNano, 10 * kNano}});
  REQUIRE(one);
  CHECK(one->value == Approx(3 * kNano));
  CHECK(one->u == Approx(2 * kNano));
  CHECK(one->inductance == Approx(10 * kNano));
  const auto alike = switching::combined({Skew{1 * kNano, 1 * kNano, 10 * kNano}, Skew{1 * kNano, 1 * kNano, 20 * kNano}});
  CHECK(alike->value == Approx(1 * kNano));
  CHECK(alike->u == Approx(kNano / std::sqrt(2.0)));
  CHECK(alike->inductance == Approx(15 * kNano));
  // Weights of 1 and 1/4: 0.8, and squares of 0.64 and 2.56 for one degree of freedom.
  const auto apart = switching::combined({Skew{0, 1 * kNano, 10 * kNano}, Skew{4 * kNano, 2 * kNano, 20 * kNano}});
  CHECK(apart->value == Approx(0.8 * kNano));
  CHECK(apart->inductance == Approx(12 * kNano));
  CHECK(apart->u == Approx(kNano / std::sqrt(1.25) * std::sqrt(3.2)));
}

TEST_CASE("weights go with the square of what is known, whatever the unit", "[switching]") {
  const auto two = switching::combined({Skew{3, 2, 10}, Skew{8, 4, 20}});
  // Weights of 1/4 and 1/16.
  CHECK(two->value == Approx(4));
  CHECK(two->inductance == Approx(12));
  // Squares of 1/4 and 1 for one degree of freedom: more than one, so that less is known.
  CHECK(two->u == Approx(1 / std::sqrt(5.0 / 16) * std::sqrt(1.25)));
  const auto three = switching::combined({Skew{3, 2, 10}, Skew{3, 2, 10}, Skew{3, 2, 40}});
  CHECK(three->value == Approx(3));
  CHECK(three->u == Approx(2 / std::sqrt(3.0)));
  CHECK(three->inductance == Approx(20));
  // What says it is known exactly has all the weight.
  const auto sure = switching::combined({Skew{3 * kNano, 0, 10 * kNano}, Skew{9 * kNano, 1 * kNano, 20 * kNano}});
  CHECK(sure->value == Approx(3 * kNano));
}

TEST_CASE("a skew is read where the loop's equation holds, and nowhere else", "[switching][windows]") {
  // Where the edge has gone 10, 15, 85 and 90 %, of its 100 ns.
  const auto at = [](double wanted) {
    double low = 0, high = 1;
    for (int k = 0; k < 60; ++k) (share((low + high) / 2) < wanted ? low : high) = (low + high) / 2;
    return 100 * low;
  };
  const auto influences = [](bool on, int ns) {
    auto plain = core({.on = on, .late = 2 * kNano}), moved = plain;
    moved.v.y.at(std::size_t(ns + 300)) -= 0.01;
    return switching::skew_of(moved, event(on))->value != switching::skew_of(plain, event(on))->value;
  };
  // Turned on: from half again of the edge before until 85 %; the current is 2 ns late.
  const double edge = at(0.85) - at(0.1);
  const int first = int(std::ceil(at(0.1) + 2 - 1.5 * edge)), last = int(std::floor(at(0.85) + 2));
  CHECK_FALSE(influences(true, first - 1));
  CHECK(influences(true, first));
  CHECK(influences(true, last));
  CHECK_FALSE(influences(true, last + 1));
  // Turned off: from where v_ds reaches the bus until half again of the edge after.
  const int end = int(std::floor(at(0.9) + 2 + 1.5 * (at(0.9) - at(0.15))));
  CHECK_FALSE(influences(false, -51));
  CHECK(influences(false, -50));
  CHECK(influences(false, end));
  CHECK_FALSE(influences(false, end + 1));
  // Within what is around the event.
  auto near = core({.late = 2 * kNano});
  near.from = -20 * kNano;
  auto moved = near;
  moved.v.y.at(300 - 21) -= 0.01;
  CHECK(switching::skew_of(moved, event(true))->value == switching::skew_of(near, event(true))->value);
  moved.v.y.at(300 - 20) -= 0.01;
  CHECK(switching::skew_of(moved, event(true))->value != switching::skew_of(near, event(true))->value);
}

TEST_CASE("an edge that is not whole, or of fewer than eight samples, tells no skew", "[switching]") {
  // 12 A are wanted where 10 A are all.
  for (const bool on : {true, false}) {
    auto more = event(on);
    more.load.value = 12;
    CHECK_FALSE(switching::skew_of(core({.on = on}), more));
    CHECK_FALSE(switching::slope_pickup(core({.on = on}), more));
  }
  const auto every = [](int step, int from) {
    auto out = core({});
    switching::Samples few;
    for (std::size_t k = std::size_t(from); k < out.v.t.size(); k += std::size_t(step)) {
      few.t.push_back(out.v.t[k]);
      few.y.push_back(out.v.y[k]);
    }
    out.v = few;
    return bool(switching::skew_of(out, event(true)));
  };
  // From -62.8 to 74.5 ns: -60, -42 ... 66 are eight samples, -57, -38 ... 57 seven.
  CHECK(every(18, 6));
  CHECK_FALSE(every(19, 15));
}

TEST_CASE("noise that errs alike in neighbours leaves less known of a skew", "[switching]") {
  const auto u = [](double together) {
    auto c = core({.v_noise = 0.2, .i_noise = 0.05, .seed = 9});
    c.v.together = c.i.together = together;
    return switching::skew_of(c, event(true))->u;
  };
  const double alone = u(1);
  CHECK(u(4) / alone == Approx(2).epsilon(0.35));
  CHECK(u(4) < u(9));
}

TEST_CASE("a current that follows its own slope is told from one that is early", "[switching]") {
  for (const bool on : {true, false}) {
    CAPTURE(on);
    const auto found = switching::slope_pickup(core({.on = on, .pickup = 6 * kNano}), event(on));
    REQUIRE(found);
    CHECK(*found == Approx(6 * kNano).epsilon(0.03));
    CHECK_FALSE(switching::slope_pickup(core({.on = on}), event(on)));
    CHECK_FALSE(switching::slope_pickup(core({.on = on, .late = -6 * kNano}), event(on)));
    CHECK_FALSE(switching::slope_pickup(core({.on = on, .late = 6 * kNano}), event(on)));
    CHECK_FALSE(switching::slope_pickup(core({.on = on, .pickup = -6 * kNano}), event(on)));
    CHECK_FALSE(switching::slope_pickup(core({.on = on, .inductance = 0, .pickup = 6 * kNano}), event(on)));
  }
}

}  // namespace switching_skew
