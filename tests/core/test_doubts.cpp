#include "base/quantity.h"
#include "response_support.h"
#include "study/iv/doubts.h"
#include "study/iv/figures.h"
#include "study/iv/preflight.h"
#include "study/preflight.h"
#include "study/response/preflight.h"

using namespace heron;
using namespace heron::study;
using namespace heron::test;

namespace doubts_thresholds {

namespace {

/// A sweep that gives no reason for doubt.
response::Curve sound() {
  auto curve = sampled([](double f) { return low_pass(f, 4.2e3); }, 100, 50e3, 41, 1e-3);
  curve.measured = true;
  for (auto& p : curve.points) {
    p.periods = 8;
    response::ChannelEvidence good{.range_share = 0.5, .over_floor = 1e4, .peak = 1, .unit = "V", .expected = 1};
    p.evidence = std::make_shared<const response::CurvePoint::Evidence>(response::CurvePoint::Evidence{good, good});
  }
  return curve;
}

/// The same with the evidence of the response's channel altered at every point, or at the first so many.
template <class Alter>
response::Curve altered(Alter alter, std::size_t points = 41) {
  auto curve = sound();
  for (std::size_t k = 0; k < points; ++k) {
    auto evidence = *curve.points[k].evidence;
    alter(evidence);
    curve.points[k].evidence = std::make_shared<const response::CurvePoint::Evidence>(std::move(evidence));
  }
  return curve;
}

bool raised(const response::Curve& curve, std::string_view key, const std::vector<std::string>& asked = {},
            const response::Settings& settings = {}) {
  return find_doubt(response::read(curve, settings, asked), key) != nullptr;
}

bool found(const std::vector<Doubt>& doubts, std::string_view key, Severity severity) {
  return std::any_of(doubts.begin(), doubts.end(),
                     [&](const Doubt& d) { return d.key == key && d.severity == severity; });
}

using Evidence = response::CurvePoint::Evidence;

bench::Limits bench_limits() {
  const auto circuit = sim::read_circuit(
      "[pins]\nanode = \"a\"\n[part.R1]\nkind = \"resistor\"\n"
      "between = [\"a\", \"ground\"]\nvalue = \"1 kohm\"\n",
      "circuit");
  if (!circuit) FAIL(circuit.error().message);
  return sim::SimulatedBench(*circuit, 1).limits();
}

}  // namespace

TEST_CASE("a sound sweep raises no doubt", "[doubts]") {
  CHECK(response::read(sound(), {}, {"gain@1kHz"}).doubts.empty());
}

TEST_CASE("each doubt of a sweep is raised just over its threshold and not just under", "[doubts]") {
  SECTION("range.underused: a tenth of the range") {
    CHECK_FALSE(raised(altered([](Evidence& e) { e.response.range_share = 0.101; }), "range.underused"));
    CHECK(raised(altered([](Evidence& e) { e.response.range_share = 0.099; }, 1), "range.underused"));
  }
  SECTION("settling.short: three uncertainties, more where many are asked") {
    // 4 questions of one point: the two-sided 0.27 % of one question is shared among them.
    auto one = [](double moved) {
      auto curve = altered([&](Evidence& e) { e.stimulus.unsettled = moved; });
      curve.points.resize(1);
      return curve;
    };
    CHECK_FALSE(raised(one(3.39), "settling.short"));
    CHECK(raised(one(3.43), "settling.short"));
    // 164 questions: 0.0027/164 of a normal distribution lie beyond 4.31.
    CHECK_FALSE(raised(altered([](Evidence& e) { e.stimulus.unsettled = 4.2; }), "settling.short"));
    CHECK(raised(altered([](Evidence& e) { e.stimulus.unsettled = 4.4; }, 1), "settling.short"));
  }
  SECTION("noise.limited: 6 dB over the floor") {
    CHECK_FALSE(raised(altered([](Evidence& e) { e.response.over_floor = 2.01; }), "noise.limited"));
    CHECK(raised(altered([](Evidence& e) { e.response.over_floor = 1.99; }, 1), "noise.limited"));
  }
  SECTION("noise.limited: a figure's own limit") {
    const auto with = [](double u) {
      auto curve = sampled([](double f) { return low_pass(f, 4.2e3); }, 100, 50e3, 41, u);
      // One source alone, so that u is what it says to a few per cent of the draws.
      for (auto& p : curve.points) p.shared = {{1, u, 0}};
      return curve;
    };
    CHECK_FALSE(raised(with(0.08), "noise.limited", {"gain@1kHz"}));
    CHECK(raised(with(0.125), "noise.limited", {"gain@1kHz"}));
    response::Settings wide;
    wide.u_limit_db = 0.5;
    CHECK(find_doubt(response::read(with(0.125), wide, {"gain@1kHz"}), "noise.limited") == nullptr);
  }
  SECTION("periods.few: four") {
    auto curve = sound();
    curve.points[7].periods = 4;
    CHECK_FALSE(raised(curve, "periods.few"));
    curve.points[7].periods = 3.99;
    CHECK(raised(curve, "periods.few"));
  }
  SECTION("bandwidth.limits_edge: half a decibel put back") {
    CHECK_FALSE(raised(altered([](Evidence& e) { e.response.lost_db = 0.49; }), "bandwidth.limits_edge"));
    CHECK(raised(altered([](Evidence& e) { e.response.lost_db = 0.51; }, 1), "bandwidth.limits_edge"));
  }
  SECTION("offset.uncorrected: DC of a twentieth of the signal at more than half of the points") {
    const auto dc = [](double share) {
      return [share](Evidence& e) {
        e.response.zeroed = false;
        e.response.dc = -share * e.response.peak;
      };
    };
    CHECK_FALSE(raised(altered(dc(0.049)), "offset.uncorrected"));
    CHECK(raised(altered(dc(0.051)), "offset.uncorrected"));
    CHECK_FALSE(raised(altered(dc(0.051), 20), "offset.uncorrected"));
    CHECK(raised(altered(dc(0.051), 21), "offset.uncorrected"));
  }
  SECTION("factor.suspected: within 12 % of a usual factor") {
    const auto by = [](double factor) { return [factor](Evidence& e) { e.response.peak = factor; }; };
    CHECK_FALSE(raised(altered(by(0.113)), "factor.suspected"));
    CHECK(raised(altered(by(0.111)), "factor.suspected"));
    CHECK(raised(altered(by(9)), "factor.suspected"));
    CHECK_FALSE(raised(altered(by(8.7)), "factor.suspected"));
  }
  SECTION("termination.mismatch: half or twice, within a tenth") {
    const auto by = [](double factor) { return [factor](Evidence& e) { e.response.peak = factor; }; };
    CHECK(raised(altered(by(0.545)), "termination.mismatch"));
    CHECK_FALSE(raised(altered(by(0.555)), "termination.mismatch"));
    CHECK(raised(altered(by(1.81)), "termination.mismatch"));
    CHECK_FALSE(raised(altered(by(1.79)), "termination.mismatch"));
  }
  SECTION("wiring.swapped: each shows the other's level") {
    const auto swapped = [](double stimulus, double response) {
      return altered([=](Evidence& e) {
        e.stimulus.expected = 1;
        e.response.expected = 4;
        e.stimulus.peak = stimulus;
        e.response.peak = response;
      });
    };
    CHECK(raised(swapped(3.1, 1.2), "wiring.swapped"));
    CHECK_FALSE(raised(swapped(2.9, 1.2), "wiring.swapped"));
  }
  SECTION("level.dependent: 0.02 dB or three uncertainties") {
    const auto with = [](double change, double u) {
      auto curve = sound();
      curve.level_checks = {{1e3, 1, 0.25, change, u}};
      return curve;
    };
    CHECK_FALSE(raised(with(0.019, 1e-4), "level.dependent"));
    CHECK(raised(with(-0.021, 1e-4), "level.dependent"));
    CHECK_FALSE(raised(with(0.29, 0.1), "level.dependent"));
    CHECK(raised(with(0.31, 0.1), "level.dependent"));
  }
  SECTION("coherence.low: the limit that is set") {
    const auto noise = [](double lowest) {
      auto curve = sound();
      curve.independent = 40;
      for (auto& p : curve.points) p.coherence = 0.99;
      curve.points[30].coherence = lowest;
      curve.points[30].trusted = lowest >= 0.8;
      return curve;
    };
    CHECK_FALSE(raised(noise(0.801), "coherence.low"));
    CHECK(raised(noise(0.799), "coherence.low"));
  }
  SECTION("loading.matters: more than a figure's uncertainty, and more than a ten-thousandth") {
    const auto loaded = [](double db, double u) {
      auto curve = altered([&](Evidence& e) { e.loading = {db, 0}; });
      for (auto& p : curve.points) {
        p.u_gain_db = u;
        p.shared = {{1, u, 0}};
      }
      return curve;
    };
    CHECK_FALSE(raised(loaded(0.018, 0.02), "loading.matters", {"gain@1kHz"}));
    CHECK(raised(loaded(0.025, 0.02), "loading.matters", {"gain@1kHz"}));
    CHECK_FALSE(raised(loaded(8.6e-4, 1e-5), "loading.matters", {"gain@1kHz"}));
    CHECK(raised(loaded(8.8e-4, 1e-5), "loading.matters", {"gain@1kHz"}));
  }
}

TEST_CASE("a channel has clipped from three equal samples at its range's end on", "[doubts]") {
  Channel channel{
      .role = "response", .unit = "V", .scale = 1e-3, .range = 2.0, .lowest_count = -2000, .highest_count = 1999};
  const RoleSamples samples{.quantity = "response", .unit = "V", .channel = &channel};
  for (const auto& [counts, expected] : {std::pair{std::vector<std::int16_t>{5, 1999, 1999, 1998, 1999, 3}, false},
                                         std::pair{std::vector<std::int16_t>{5, 1999, 1999, 1999, 3}, true},
                                         std::pair{std::vector<std::int16_t>{5, -2000, -2000, -2000, 3}, true},
                                         std::pair{std::vector<std::int16_t>{5, 1998, 1998, 1998, 1998, 3}, false}}) {
    channel.counts = counts;
    response::ChannelEvidence evidence;
    response::note_range_use(samples, evidence);
    CHECK(evidence.clipped == expected);
  }
}

TEST_CASE("what is found before a sweep is found just over its threshold", "[doubts][preflight]") {
  const auto limits = bench_limits();
  response::Plan plan{.drive_pin = "in",
                      .hookup = response::direct_hookup("in", "out"),
                      .start = 1e3,
                      .stop = 20e3,
                      .level_pp = 1,
                      .settle_time = 1e-3};
  const auto findings = [&](const response::Plan& p, const device::Ratings& ratings = {}) {
    return response::preflight(p, limits, ratings, nullptr);
  };
  SECTION("rating.near: 80 % a caution, all of it a refusal, and each way has its own") {
    const auto at = [&](device::Rating rating) { return findings(plan, {{"in", rating}}); };
    CHECK_FALSE(found(at({.voltage = 0.63}), "rating.near", Severity::caution));
    CHECK(found(at({.voltage = 0.62}), "rating.near", Severity::caution));
    CHECK_FALSE(found(at({.voltage = 0.501}), "rating.near", Severity::serious));
    CHECK(found(at({.voltage = 0.499}), "rating.near", Severity::serious));
    // A polarised part bears five volts one way and a tenth the other; a tone goes both ways.
    CHECK(found(at({.voltage = 5, .reverse_voltage = 0.49}), "rating.near", Severity::serious));
    plan.offset = 0.45;
    CHECK_FALSE(found(at({.voltage = 5, .reverse_voltage = 0.1}), "rating.near", Severity::serious));
    plan.offset = 0.39;
    CHECK(found(at({.voltage = 5, .reverse_voltage = 0.1}), "rating.near", Severity::serious));
  }
  SECTION("sampling.coarse: four samples a period") {
    plan.stop = limits.highest_sample_rate / 4 * 0.99;
    CHECK_FALSE(found(findings(plan), "sampling.coarse", Severity::caution));
    plan.stop = limits.highest_sample_rate / 4 * 1.01;
    CHECK(found(findings(plan), "sampling.coarse", Severity::caution));
  }
  SECTION("periods.few: four") {
    plan.periods = 4;
    CHECK_FALSE(found(findings(plan), "periods.few", Severity::caution));
    plan.periods = 3.9;
    CHECK(found(findings(plan), "periods.few", Severity::caution));
  }
  SECTION("sweep.long: a minute") {
    const auto seconds = [&](double settle) {
      plan.settle_time = settle;
      return response::sweep_time(plan, limits);
    };
    double settle = 0.01;
    while (seconds(settle * 1.01) < 60) settle *= 1.01;
    seconds(settle);
    CHECK_FALSE(found(findings(plan), "sweep.long", Severity::caution));
    REQUIRE(seconds(settle * 1.02) > 60);
    CHECK(found(findings(plan), "sweep.long", Severity::caution));
  }
  SECTION("bandwidth.limits_edge: three tenths of a sensor's bandwidth") {
    auto& sensor = plan.hookup.chains[1].input.sensor;
    sensor.bandwidth = 20e3 / 0.3 * 1.01;
    CHECK_FALSE(found(findings(plan), "bandwidth.limits_edge", Severity::caution));
    sensor.bandwidth = 20e3 / 0.3 * 0.99;
    CHECK(found(findings(plan), "bandwidth.limits_edge", Severity::caution));
  }
  SECTION("source.limit: the generator's ends") {
    plan.level_pp = limits.highest_level_pp;
    CHECK_FALSE(found(findings(plan), "source.limit", Severity::serious));
    plan.level_pp = limits.highest_level_pp * 1.001;
    CHECK(found(findings(plan), "source.limit", Severity::serious));
  }
  SECTION("ratings of branches and what else a circuit foretells, by sign") {
    bench::Levels levels;
    levels.pins["gate"] = {.peak = 1, .dc = -4};
    levels.branches["drain"] = {.peak = 0.2, .dc = 0.5};
    const auto with = [&](device::Ratings ratings) {
      std::vector<Doubt> out;
      check_ratings(ratings, levels, 1, out);
      return out;
    };
    CHECK(found(with({{"gate", {.voltage = 20, .reverse_voltage = 4.9}}}), "rating.near", Severity::serious));
    CHECK_FALSE(found(with({{"gate", {.voltage = 20, .reverse_voltage = 5.1}}}), "rating.near", Severity::serious));
    CHECK(found(with({{"gate", {.voltage = 4.9}}}), "rating.near", Severity::serious));
    CHECK(with({{"drain", {.current = 1, .reverse_current = 0.01}}}).empty());
    CHECK(found(with({{"drain", {.current = 0.69}}}), "rating.near", Severity::serious));
  }
}

namespace {

iv::Plan one_source(double start, double stop, double compliance = 10e-3) {
  return {.sources = {{.name = "anode",
                       .pin = "anode",
                       .role = iv::Role::swept,
                       .values = {.start = start, .stop = stop},
                       .compliance = compliance}}};
}

/// A straight line of 1 kohm.
iv::Family resistor(int points, double u = 1e-9) {
  iv::Family family{.measured = true};
  iv::Curve curve;
  for (int k = 0; k < points; ++k) {
    const double v = double(k + 1) / points;
    iv::CurvePoint p{.index = k, .voltage = v, .current = v / 1e3};
    p.u_current = iv::Doubtful{u, 0};
    p.u_voltage = iv::Doubtful{0, 0};
    curve.points.push_back(p);
  }
  family.curves.push_back(curve);
  return family;
}

bool raised(const iv::Family& family, std::string_view key, const std::vector<std::string>& asked = {}) {
  const auto reading = iv::read(family, {}, asked);
  const auto doubts = iv::find_doubts(family, {}, asked, reading);
  return std::any_of(doubts.begin(), doubts.end(), [&](const Doubt& d) { return d.key == key; });
}

}  // namespace

TEST_CASE("each doubt of a curve is raised just over its threshold and not just under", "[doubts]") {
  CHECK(iv::find_doubts(resistor(60), {}, {}, iv::read(resistor(60), {}, {})).empty());
  SECTION("compliance.reached: three points of a curve") {
    auto family = resistor(60);
    for (int k = 58; k < 60; ++k) family.curves[0].points[std::size_t(k)].at_compliance = true;
    CHECK_FALSE(raised(family, "compliance.reached"));
    family.curves[0].points[57].at_compliance = true;
    CHECK(raised(family, "compliance.reached"));
  }
  SECTION("settling.short: three uncertainties, a thousandth of the current, three points") {
    auto family = resistor(60);
    const auto move = [&](std::size_t k, double share, double sigmas) {
      auto& p = family.curves[0].points[k];
      p.moved = share * p.current;
      p.u_moved = p.moved / sigmas;
    };
    for (const std::size_t k : {40u, 41u, 42u}) move(k, 2e-3, 2.9);
    CHECK_FALSE(raised(family, "settling.short"));
    for (const std::size_t k : {40u, 41u}) move(k, 2e-3, 3.1);
    CHECK_FALSE(raised(family, "settling.short"));
    move(42, 0.9e-3, 3.1);
    CHECK_FALSE(raised(family, "settling.short"));
    move(42, 1.1e-3, 3.1);
    CHECK(raised(family, "settling.short"));
  }
  SECTION("offset.uncorrected: three currents within what the range's zero may be") {
    auto family = resistor(60);
    for (const std::size_t k : {10u, 11u, 12u}) {
      auto& p = family.curves[0].points[k];
      p.u_current = iv::Doubtful{1e-9, p.current / 2 * 0.99};
    }
    CHECK_FALSE(raised(family, "offset.uncorrected"));
    for (const std::size_t k : {10u, 11u, 12u}) {
      auto& p = family.curves[0].points[k];
      p.u_current = iv::Doubtful{1e-9, p.current / 2 * 1.01};
    }
    CHECK(raised(family, "offset.uncorrected"));
    family.opened = true;
    CHECK_FALSE(raised(family, "offset.uncorrected"));
  }
  SECTION("rating.near: 80 %, either way") {
    auto family = resistor(60);
    family.ratings = {{"anode", "V", 5, 3.99, true}};
    CHECK_FALSE(raised(family, "rating.near"));
    family.ratings[0].highest = 4.01;
    CHECK(raised(family, "rating.near"));
  }
  SECTION("range.underused: a tenth of a fixed range") {
    auto family = resistor(60);
    family.ranges = {{"anode", "A", 10e-3, 1.01e-3, true, "source.anode.range"}};
    CHECK_FALSE(raised(family, "range.underused"));
    family.ranges[0].highest = 0.99e-3;
    CHECK(raised(family, "range.underused"));
    family.ranges[0].fixed = false;
    CHECK_FALSE(raised(family, "range.underused"));
  }
  SECTION("input.clipped: any point") {
    auto family = resistor(60);
    family.curves[0].points[59].clipped = true;
    CHECK(raised(family, "input.clipped"));
  }
  SECTION("wiring.sign: a thousand times more current the other way") {
    const auto reversed = [](double ratio) {
      iv::Family family{.measured = true};
      iv::Curve curve;
      for (int k = 0; k <= 40; ++k) {
        const double v = -1 + k / 20.0;
        curve.points.push_back({.index = k, .voltage = v, .current = v < 0 ? ratio * v * 1e-6 : v * 1e-6});
      }
      family.curves.push_back(curve);
      return family;
    };
    CHECK_FALSE(raised(reversed(990), "wiring.sign"));
    CHECK(raised(reversed(1010), "wiring.sign"));
  }
  SECTION("noise.limited: a hundredth of the figure") {
    const auto noisy = [](double share) {
      auto family = resistor(60, 0);
      // One source, so that u is known but for the draws.
      for (auto& p : family.curves[0].points) {
        p.u_current = iv::Doubtful{0, share * p.current};
        p.shared = {{1, 0, share * p.current}};
      }
      return family;
    };
    CHECK_FALSE(raised(noisy(0.008), "noise.limited", {"current@0.5V"}));
    CHECK(raised(noisy(0.0125), "noise.limited", {"current@0.5V"}));
  }
  SECTION("loop.open: two per cent, and twice its uncertainty") {
    const auto loop = [](double share, double u) {
      auto family = resistor(60, u);
      auto& points = family.curves[0].points;
      for (int k = 58; k >= 0; --k) {
        auto back = points[std::size_t(k)];
        back.index = int(points.size());
        back.current -= k == 29 ? share * 1e-3 : 0;
        points.push_back(back);
      }
      return family;
    };
    const double limit = iv::Settings{}.loop_threshold;
    CHECK_FALSE(raised(loop(0.98 * limit, 1e-12), "loop.open"));
    CHECK(raised(loop(1.02 * limit, 1e-12), "loop.open"));
    CHECK_FALSE(raised(loop(1.2 * limit, limit * 1e-3), "loop.open"));
  }
}

TEST_CASE("a reversed part is refused before it is driven", "[doubts][preflight]") {
  const auto limits = bench_limits();
  const auto serious = [&](const iv::Plan& p, const device::Rating& rating) {
    return found(iv::preflight(p, limits, {{"anode", rating}}), "rating.near", Severity::serious);
  };
  // An electrolytic that bears 16 V, and 0.4 V the wrong way round.
  const device::Rating polarised{.voltage = 16, .reverse_voltage = 0.4};
  CHECK_FALSE(serious(one_source(-0.39, 15), polarised));
  CHECK(serious(one_source(-0.41, 15), polarised));
  CHECK(serious(one_source(0, 16.1), polarised));
  CHECK_FALSE(serious(one_source(-15, 0), {.voltage = 16}));
  // The current that is limited flows the way the voltage drives it.
  const device::Rating rectifier{.voltage = 20, .current = 1, .reverse_current = 1e-3};
  CHECK_FALSE(serious(one_source(0, 1, 0.9), rectifier));
  CHECK(serious(one_source(-1, 0, 0.9), rectifier));
  CHECK_FALSE(serious(one_source(-1, 0, 0.9e-3), rectifier));
  // Held at zero it may have to sink as well as give.
  auto held = one_source(0, 1, 0.9);
  held.sources.push_back({.name = "gate", .pin = "gate", .role = iv::Role::constant, .value = 0, .compliance = 0.5});
  CHECK(found(iv::preflight(held, limits, {{"gate", {.current = 0.4}}}), "rating.near", Severity::serious));
  const auto findings = iv::preflight(one_source(-5, 1), limits, {{"anode", polarised}});
  const auto it = std::find_if(findings.begin(), findings.end(), [](const Doubt& d) { return d.key == "rating.near"; });
  REQUIRE(it != findings.end());
  REQUIRE(it->edits.size() == 1);
  CHECK(it->edits[0].first == "source.anode.start");
  CHECK(parse_value(it->edits[0].second, "V").value() == Approx(-0.4));
}

}  // namespace doubts_thresholds
