#include <fstream>
#include <sstream>

#include "base/complex_formula.h"
#include "sim/foresight.h"
#include "study/response/expected.h"
#include "run/ledger.h"
#include "run/take.h"
#include "response_support.h"
#include "sim/simulated_bench.h"
#include "study/response/brief.h"
#include "study/response/compare.h"
#include "study/response/figures.h"
#include "study/response/kind.h"
#include "study/response/preflight.h"
#include "study/response/runner.h"

using namespace heron;
using namespace heron::study;
using std::numbers::pi;
using namespace heron::test;

namespace {

constexpr const char* kFilter = R"(
[pins]
in = "in"
out = "out"
[part.R1]
kind = "resistor"
between = ["in", "out"]
value = "1.6 kohm"
tolerance = "5 %"
[part.C1]
kind = "capacitor"
between = ["out", "ground"]
value = "10 nF"
tolerance = "10 %"
)";

response::Plan plan() {
  return {.drive_pin = "in",
          .hookup = response::direct_hookup("in", "out"),
          .start = 100,
          .stop = 1e6,
          .points_per_decade = 5,
          .level_pp = 0.2,
          .settle_time = 1e-3};
}

std::vector<Point> taken(const response::Plan& p, const char* circuit = kFilter,
                         const response::Context& context = {}) {
  return test::points_taken(p, circuit, context);
}

}  // namespace

TEST_CASE("ratio and difference of responses are those of their functions, grids alike or not", "[compare]") {
  const auto a = sampled([](double f) { return 3.0 * low_pass(f, 1e3); }, 10, 100e3, 81, 0.01),
             b = sampled([](double f) { return low_pass(f, 2e3); }, 10, 100e3, 81, 0.01),
             other = sampled([](double f) { return low_pass(f, 2e3); }, 7, 130e3, 700, 0.01);
  CHECK(response::same_grid(a, b));
  CHECK_FALSE(response::same_grid(a, other));
  for (const auto* reference : {&b, &other}) {
    const auto over = response::ratio(a, *reference), apart = response::difference(a, *reference);
    REQUIRE(over.points.size() == a.points.size());
    for (std::size_t i = 0; i < over.points.size(); ++i) {
      const double f = a.points[i].frequency;
      const Complex x = 3.0 * low_pass(f, 1e3), y = low_pass(f, 2e3);
      CHECK(std::abs(over.value(i) / (x / y) - 1.0) < 1e-3);
      CHECK(std::abs(apart.value(i) - (x - y)) < 2e-3);
      CHECK(*over.points[i].u_gain_db == Approx(0.01 * std::sqrt(2)));
    }
  }
  CHECK(response::ratio(a, sampled([](double f) { return low_pass(f, 1); }, 1e6, 1e7, 9)).points.empty());
}

TEST_CASE("statistics over takes at the frequencies that all reach", "[compare]") {
  std::vector<response::Curve> curves;
  for (const double gain : {1.0, 2.0, 4.0})
    curves.push_back(sampled([gain](double f) { return gain * low_pass(f, 1e3); }, gain * 10, 100e3, 60));
  const auto s = response::statistics({&curves[0], &curves[1], &curves[2]});
  CHECK(s.curves == 3);
  CHECK(s.interpolated);
  REQUIRE_FALSE(s.frequency.empty());
  CHECK(s.frequency.front() >= 40);
  for (std::size_t i = 0; i < s.frequency.size(); ++i) {
    const double base = 20 * std::log10(std::abs(low_pass(s.frequency[i], 1e3))), step = 20 * std::log10(2.0);
    CHECK(s.mean_db[i] == Approx(base + step).margin(0.02));
    CHECK(s.low_db[i] == Approx(base).margin(0.02));
    CHECK(s.high_db[i] == Approx(base + 2 * step).margin(0.02));
    CHECK(s.sigma_db[i] == Approx(step).margin(0.02));  // of -step, 0, step with n - 1
  }
  CHECK(response::statistics({}).frequency.empty());
  const response::Curve none;
  CHECK(response::statistics({&curves[0], &none}).frequency.empty());
  CHECK(response::statistics({&curves[0]}).sigma_db.empty());
}

TEST_CASE("a complex formula sees frequency and parts", "[compare]") {
  auto h = ComplexFormula::read("1/(1 + s*R1*C1)", {{"R1", 1e3}, {"C1", 1e-6}});
  if (!h) FAIL(h.error().message);
  const double f = 300, w = 2 * pi * f;
  CHECK(std::abs(*h->value(f) - 1.0 / Complex(1, w * 1e-3)) < 1e-12);
  h->set("C1", 2e-6);
  CHECK(std::abs(*h->value(f) - 1.0 / Complex(1, w * 2e-3)) < 1e-12);
  for (const char* bad : {"", "1/(1 + s*R9)", "1 +", "((((", "R1 = 3;"}) {
    INFO(bad);
    auto read = ComplexFormula::read(bad, {{"R1", 1e3}});
    CHECK((!read || !read->value(10)));
  }
  auto pole = ComplexFormula::read("1/(f - 5)", {});
  REQUIRE(pole);
  CHECK_FALSE(pole->value(5));
}

TEST_CASE("what is expected is the circuit's answer, with a band as wide as its parts' tolerances", "[compare]") {
  const test::Folder folder;
  auto store = std::move(*dossier::Store::create(folder.file("x.heron")));
  REQUIRE(store.set_device({"Mudlark buoy", "filter", kFilter}));
  REQUIRE(store.add_study({.name = "Filter", .kind = "response", .plan = response::to_json(plan())}));
  const auto study = *store.find_study("Filter");
  const double r = 1.6e3 * 1e6 / (1.6e3 + 1e6), corner = 1 / (2 * pi * r * (10e-9 + 15e-12));
  for (const char* formula : {"", "1/(1 + s*R1*C1)"}) {
    INFO(formula);
    const auto expected = response::expected_curve(plan(), *run::surroundings_of(store, study), {}, formula);
    if (!expected) FAIL(expected.error().message);
    CHECK(expected->draws == response::kExpectationDraws);
    for (std::size_t i = 0; i < expected->frequency.size(); ++i) {
      const double x = expected->frequency[i] / corner;
      CHECK(expected->gain_db[i] == Approx(-10 * std::log10(1 + x * x)).margin(0.03));
      CHECK(expected->phase_deg[i] == Approx(-std::atan(x) * 180 / pi).margin(0.3));
      CHECK(expected->gain_low_db[i] <= expected->gain_db[i] + 1e-6);
      CHECK(expected->gain_high_db[i] >= expected->gain_db[i] - 1e-6);
    }
    // Far above the corner the gain moves with R C: the sum of two uniform errors of 5 % and 10 %, whose 95 % band is
    // +-12.8 % (trapezoid: 1 - (15 - z)^2/(2*5*10*2) = 0.975 at z = 12.76).
    const double half = (expected->gain_high_db.back() - expected->gain_low_db.back()) / 2;
    CHECK(half == Approx(20 * std::log10(1.1276)).epsilon(0.15));
    const auto again = response::expected_curve(plan(), *run::surroundings_of(store, study), {}, formula);
    CHECK(again->gain_low_db == expected->gain_low_db);
  }
  CHECK_FALSE(response::expected_curve(plan(), *run::surroundings_of(store, study), {}, "1/(1 + s*R77)"));
}

TEST_CASE("the level follows a table, or the response, and is checked where asked", "[response][runner]") {
  auto p = plan();
  p.level_shape = response::LevelShape::shaped;
  p.level_table = {{100, 0.1}, {1e6, 1.0}};
  for (const auto& point : taken(p)) {
    const double f = point.setting.json().at("frequency"), wanted = 0.1 * std::pow(10, std::log10(f / 100) / 4);
    CHECK(point.setting.json().at("level_pp").get<double>() == Approx(wanted).epsilon(2e-3));
  }
  // Ratings are held against the highest level that may come, not the one it starts with.
  const auto levels = response::predict_levels(p, *sim::foresight_of(*sim::read_circuit(kFilter, "filter"), {}));
  REQUIRE(levels);
  CHECK(levels->pins.at("out").peak == Approx(0.5).epsilon(0.05));
  p.level_shape = response::LevelShape::automatic;
  p.aim = 0.05;
  p.level_most_pp = 8;
  p.level_checks = 3;
  const auto points = taken(p);
  REQUIRE(int(points.size()) == response::point_count(p) + 3);
  const auto curve = *response::reduce_take(points);
  for (const auto& c : curve.points) {
    INFO(c.frequency << " Hz at " << c.level_pp << " V");
    CHECK(c.level_pp <= 8.01);
    if (c.level_pp < 7.9) CHECK(c.of(response::Side::response).peak == Approx(0.05).epsilon(1.0));
  }
  CHECK(curve.points.back().level_pp > 3 * curve.points.front().level_pp);
  REQUIRE(curve.level_checks.size() == 3);
  for (const auto& check : curve.level_checks) {
    CHECK(check.other_level_pp == Approx(check.level_pp / 2).epsilon(2e-3));
    CHECK(std::abs(check.change_db) < 4 * check.u_change_db + 0.01);
  }
  for (const auto& d : response::read(curve, {}).doubts) CHECK(d.key != "level.dependent");
}

TEST_CASE("compression is found by reading again at half the level", "[long][response][runner]") {
  const std::string clipper = std::string(kFilter) + R"(
[part.D1]
kind = "diode"
anode = "out"
cathode = "ground"
saturation_current = "1 nA"
[part.D2]
kind = "diode"
anode = "ground"
cathode = "out"
saturation_current = "1 nA"
)";
  auto p = plan();
  p.stop = 2e3;
  p.points_per_decade = 3;
  p.level_pp = 1.6;
  p.level_checks = 2;
  const auto reading = response::read(*response::reduce_take(taken(p, clipper.c_str())), {});
  CHECK(std::any_of(reading.doubts.begin(), reading.doubts.end(),
                    [](const Doubt& d) { return d.key == "level.dependent"; }));
}

TEST_CASE("readings are repeated until they agree, and averaged until they are known well enough",
          "[long][response][runner]") {
  auto p = plan();
  p.spacing = response::Spacing::listed;
  p.listed = {100, 3e3, 50e3};
  p.start = 100;
  p.stop = 50e3;
  p.settle_time = 0;
  p.settle_periods = 0;
  p.agree = 1e-3;
  p.u_asked_db = 4e-3;
  p.level_pp = 5e-3;
  const auto points = taken(p);
  REQUIRE(points.size() == 3);
  CHECK(points[1].setting.json().at("frequency").get<double>() == Approx(3e3));
  const auto curve = *response::reduce_take(points);
  for (std::size_t i = 0; i < points.size(); ++i) {
    const auto& c = curve.points[i];
    const double noise = c.noise_gain_db();
    CHECK((noise <= 4e-3 || points[i].records.size() == std::size_t(response::kMostRecords)));
  }
  CHECK(points[2].records.size() > 1);
}

TEST_CASE("chosen points are read again, all others carried over as they are", "[response][dossier]") {
  const test::Folder folder;
  auto store = std::move(*dossier::Store::create(folder.file("x.heron")));
  REQUIRE(store.set_device({"Mudlark buoy", "filter", kFilter}));
  REQUIRE(store.add_study({.name = "Filter", .kind = "response", .plan = response::to_json(plan())}));
  const auto study = *store.find_study("Filter");
  const auto first = run::run_take(store, study, "simulated", 1, {}, {}, {});
  REQUIRE(first);
  const auto second = run::run_take(store, study, "simulated", 2, {.base = *first, .only = {3, 7}}, {}, {});
  if (!second) FAIL(second.error().message);
  const auto before = *store.points(*first), after = *store.points(*second);
  REQUIRE(before.size() == after.size());
  for (std::size_t i = 0; i < before.size(); ++i) {
    const bool same = before[i].records[0].channels[1].counts == after[i].records[0].channels[1].counts;
    CHECK(same == (i != 3 && i != 7));
    CHECK(before[i].setting.json().at("frequency") == after[i].setting.json().at("frequency"));
  }
  // A pass that nobody wrote on can be taken back; one with a note stays.
  REQUIRE(store.drop_pass(*second));
  CHECK(store.takes(study.id)->size() == 1);
  REQUIRE(store.set_note(*first, "keep"));
  CHECK_FALSE(store.drop_pass(*first));
  CHECK(store.points(*first)->size() == before.size());
}

TEST_CASE("a fixture's open, short and load are taken on the bench and come off the impedance",
          "[long][impedance][dossier]") {
  const test::Folder folder;
  auto store = std::move(*dossier::Store::create(folder.file("x.heron")));
  std::ifstream file(std::string(HERON_SOURCE) + "/mudlark/piezo_transducer.toml");
  std::stringstream text;
  text << file.rdbuf();
  REQUIRE(store.set_device({"Mudlark buoy", "transducer", text.str()}));
  response::Plan p{.drive_pin = "drive",
                   .hookup = {.chains = {{.name = "v_drive", .input = {.pin = "drive"}},
                                         {.name = "v", .input = {.pin = "transducer"}}},
                              .computed = {{.name = "i", .unit = "A", .formula = "(v_drive - v)/R1"}}},
                   .stimulus = "i",
                   .response = "v",
                   .start = 25e3,
                   .stop = 55e3,
                   .quantity = response::Quantity::impedance,
                   .points_per_decade = 80,
                   .level_pp = 2,
                   .settle_time = 2e-3};
  for (auto& chain : p.hookup.chains) chain.input.sensor = bench::stock_sensors().front();
  REQUIRE(store.add_study(
      {.name = "Z", .kind = "response", .plan = response::to_json(p), .settings = {{"fit", "resonator"}}}));
  auto study = *store.find_study("Z");
  REQUIRE(store.set_fitted(1, "RM", 380));
  for (const char* what : {"open", "short", "load"}) {
    const auto id = run::run_take(store, study, "simulated", 5, {.purpose = what}, {}, {});
    if (!id) FAIL(id.error().message);
    CHECK(store.take(*id)->purpose == what);
    study.settings[what] = std::to_string(store.take(*id)->number);
  }
  const auto id = run::run_take(store, study, "simulated", 6, {}, {}, {});
  REQUIRE(id);
  const auto take = *store.take(*id);
  const auto* shown = &take;
  const auto with = *run::analyse_take(store, study, *shown);
  for (const char* what : {"open", "short", "load"}) study.settings.erase(what);
  const auto without = *run::analyse_take(store, study, *shown);
  const auto figure = [](const Analysis& a, const char* key) {
    const auto* f = a.reading.find(key);
    if (!f) FAIL("no figure " << key);
    return *f;
  };
  // The motional resistance of this unit was set to 380 ohm; the stray capacitance of the fixture is 140 pF and each
  // input's 15 pF.
  const auto r = figure(with, "motional.resistance");
  CHECK(std::abs(r.value - 380) < 3.5 * *r.u);
  CHECK(*r.u < 0.003 * 380);
  const double stray = figure(without, "shunt.capacitance").value - figure(with, "shunt.capacitance").value;
  CHECK(stray == Approx(155e-12).epsilon(0.1));
}

TEST_CASE("the source-measure pair gives an impedance: its own sine and its own current monitor", "[long][impedance]") {
  constexpr const char* kPart = R"(
[pins]
top = "top"
[part.R1]
kind = "resistor"
between = ["top", "mid"]
value = "470 ohm"
[part.C1]
kind = "capacitor"
between = ["mid", "ground"]
value = "220 nF"
)";
  response::Plan p{.drive_pin = "top",
                   .hookup = {.chains = {{.name = "v", .input = {.pin = "top"}},
                                         {.name = "i", .input = {.pin = std::string(bench::kDriveLead)}}}},
                   .stimulus = "i",
                   .response = "v",
                   .start = 100,
                   .stop = 50e3,
                   .quantity = response::Quantity::impedance,
                   .points_per_decade = 6,
                   .level_pp = 4,
                   .compliance = 10e-3,
                   .settle_time = 5e-3};
  p.hookup.chains[0].input.sensor = *bench::find_stock_sensor("Direct lead");
  p.hookup.chains[1].input.sensor = *bench::find_stock_sensor("Current monitor 1 V/mA");
  p.hookup.chains[1].zero = 0;
  const auto curve = response::reduce_take(taken(p, kPart));
  if (!curve) FAIL(curve.error().message);
  for (std::size_t k = 0; k < curve->points.size(); ++k) {
    const auto& point = curve->points[k];
    // The voltage's input, 1 Mohm and 15 pF, draws its current through the same monitor.
    const Complex jw(0, 2 * pi * point.frequency), z = 470.0 + 1.0 / (jw * 220e-9),
                                                   seen = 1.0 / (1.0 / z + 1e-6 + jw * 15e-12);
    CHECK(std::abs(point.gain_db - 20 * std::log10(std::abs(seen))) < 4 * *point.u_gain_db);
    CHECK(std::abs(std::remainder(point.phase_deg - std::arg(seen) * 180 / pi, 360)) < 4 * *point.u_phase_deg);
    CHECK(*point.u_gain_db < 0.05);
  }

  // Words, limits, and what is wrong about it beforehand.
  const std::vector<std::string> pins = {"top", std::string(bench::kDriveLead)};
  auto said = response::apply(p, "source", "50 ohm", pins);
  REQUIRE(said);
  CHECK_FALSE(said->compliance);
  const auto keys = [&](const response::Plan& plan) {
    sim::SimulatedBench bench(*sim::read_circuit(kPart, "part"), 1);
    const auto levels = response::predict_levels(plan, *sim::foresight_of(*sim::read_circuit(kPart, "part"), {}));
    std::string out;
    for (const auto& d : response::preflight(plan, bench.limits(), {}, levels ? &*levels : nullptr))
      if (d.severity == Severity::serious) out += d.key + " ";
    return out;
  };
  CHECK(keys(p).empty());
  CHECK(keys(*said).find("wiring.monitor") != std::string::npos);
  said = response::apply(*said, "source", "source-measure, 2 mA", pins);
  REQUIRE(said);
  CHECK(*said->compliance == Approx(2e-3));
  CHECK(keys(*said).find("compliance.reached") != std::string::npos);
  auto fast = p;
  fast.stop = 1e6;
  CHECK(keys(fast).find("source.limit") != std::string::npos);
  CHECK_FALSE(response::apply(p, "source", "source-measure, -1 mA", pins));
  CHECK(response::plan_from_json(response::to_json(p))->compliance == p.compliance);

  // Above its compliance the channel gives no more: the peak of the current is the limit's.
  sim::SimulatedBench bench(*sim::read_circuit(kPart, "part"), 1);
  REQUIRE(bench.connect({p.hookup.chains[0].input, p.hookup.chains[1].input}));
  REQUIRE(bench.drive({.pin = "top", .frequency = 20e3, .peak_to_peak = 4, .compliance = 2e-3}));
  REQUIRE(bench.wait(2e-3, {}));
  const auto capture = bench.capture(1e6, 500, {});
  REQUIRE(capture);
  const auto volts = capture->channels[1].volts();
  CHECK(*std::max_element(volts.begin(), volts.end()) == Approx(2.0).epsilon(0.01));
}
