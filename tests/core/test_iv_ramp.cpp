#include <catch2/catch.hpp>
#include <cmath>

#include "iv_support.h"
#include "sim/simulated_bench.h"
#include "study/iv/brief.h"
#include "study/iv/course.h"
#include "study/iv/kind.h"
#include "study/iv/loop.h"
#include "study/iv/preflight.h"
#include "study/iv/ramp.h"
#include "study/iv/reduce.h"
#include "study/iv/runner.h"

using namespace heron;
using namespace heron::study;

namespace {

constexpr const char* kResistor = R"(
[pins]
force = "force"
device = "device"
[part.RS]
kind = "resistor"
between = ["force", "device"]
value = "100 ohm"
[part.R1]
kind = "resistor"
between = ["device", "ground"]
value = "1 kohm"
)";

/// The same with a capacitance beside the resistance.
const std::string kParallel = std::string(kResistor) + R"(
[part.C1]
kind = "capacitor"
between = ["device", "ground"]
value = "1 uF"
)";

constexpr const char* kFet = R"(
[pins]
drain = "d"
gate = "g"
[part.RD]
kind = "resistor"
between = ["d", "inner"]
value = "10 ohm"
[part.Q1]
kind = "fet"
drain = "inner"
gate = "g"
source = "ground"
value = "1.0 V"
transconductance = "5 mA/V2"
slope_factor = 1.2
[part.RG]
kind = "resistor"
between = ["g", "ground"]
value = "1 Mohm"
)";

/// Voltage of one pin, current as the difference of two inputs over the known resistor.
iv::Plan by_difference(double start, double stop, double ramp, double rs) {
  iv::Plan plan{.method = iv::Method::waveform,
                .sources = {{.name = "force",
                             .pin = "force",
                             .role = iv::Role::swept,
                             .values = {.start = start, .stop = stop, .points = 101}}},
                .course = iv::Course::both};
  plan.hookup = {.chains = {{.name = "v1", .input = {.pin = "force"}}, {.name = "v2", .input = {.pin = "device"}}},
                 .computed = {{.name = "i", .unit = "A", .formula = fmt::format("(v1 - v2)/{}", rs)}}};
  plan.voltage_name = "v2";
  plan.ramp = ramp;
  return plan;
}

iv::Family family_of(const std::vector<Point>& points) {
  auto family = iv::reduce_take(points);
  if (!family) FAIL(family.error().message);
  return std::move(*family);
}

bool has(const std::vector<Doubt>& doubts, std::string_view key) {
  return std::any_of(doubts.begin(), doubts.end(), [&](const Doubt& d) { return d.key == key; });
}

}  // namespace

TEST_CASE("a ramp through a sense resistor gives ohm's law within its uncertainty", "[iv][ramp]") {
  const auto plan = by_difference(-2, 2, 20e-3, 100);
  const auto points = taken(plan, kResistor);
  const auto family = family_of(points);
  REQUIRE(family.curves.size() == 1);
  REQUIRE(family.curves[0].points.size() == 202);
  CHECK(family.ramped);
  double off = 0;
  for (const auto& p : family.curves[0].points) {
    const double u = std::hypot(std::hypot(p.u_current->noise, p.u_current->shared),
                                std::hypot(p.u_voltage->noise, p.u_voltage->shared) / 1000);
    REQUIRE(u > 0);
    // The probe of 1 Mohm at the device draws beside it.
    off = std::max(off, std::abs(p.current - p.voltage / 1000 - p.voltage / 1e6) / u);
  }
  CHECK(off < 4.5);
  CHECK(iv::pieces_of(family.curves[0]).size() == 2);
  const auto analysis = iv::kind().analyse(points, {}, {"resistance.dynamic@0A"});
  REQUIRE(analysis);
  CHECK(analysis->reading.find("resistance.dynamic@0A")->value == Approx(999).epsilon(0.01));
  CHECK(has(analysis->reading.doubts, "autorange.single_shot"));
  CHECK_FALSE(has(analysis->reading.doubts, "loop.open"));
}

TEST_CASE("the loop of a capacitance under a triangle is that of the closed form", "[iv][ramp]") {
  // I = V/R + C dV/dt: the ways lie 2 C dV/dt apart, and the current ends at V/R + C dV/dt.
  auto plan = by_difference(0, 1, 10e-3, 100);
  plan.course = iv::Course::both;
  plan.cycles = 2;
  plan.averages = 8;
  const auto points = taken(plan, kParallel.c_str());
  const auto family = family_of(points);
  CHECK(family.curves[0].points.size() == 404);
  const auto loop = iv::widest_loop(family);
  REQUIRE(loop);
  // 50 ohm of the generator and 100 ohm stand before 1 kohm: the ramp at the device is lower by so much, and lags by
  // what charges the capacitance.
  const double share = 1000.0 / 1150, rate = share * 1 / 10e-3, apart = 2 * 1e-6 * rate;
  const double lag = 1e-6 * share * 150, end = rate * (10e-3 - lag);
  CHECK(loop->opening * (end / 1000 + apart / 2) == Approx(apart).epsilon(0.01));
  CHECK(loop->rate == Approx(rate).epsilon(0.02));
}

TEST_CASE("a ramp for each step of a staircase is put together as a family", "[iv][ramp]") {
  iv::Plan plan{.method = iv::Method::waveform,
                .sources = {{.name = "drain",
                             .pin = "drain",
                             .role = iv::Role::swept,
                             .values = {.start = 0, .stop = 3, .points = 61}},
                            {.name = "gate",
                             .pin = "gate",
                             .role = iv::Role::stepped,
                             .values = {.start = 1.5, .stop = 2.5, .points = 3}}},
                .hold = 1e-3};
  plan.hookup = iv::shunt_hookup("drain");
  plan.ramp = 10e-3;
  REQUIRE(iv::check(plan));
  const auto family = family_of(taken(plan, kFet));
  REQUIRE(family.curves.size() == 3);
  CHECK(family.step_name == "gate");
  CHECK(family.step_unit == "V");
  for (std::size_t k = 0; k < 3; ++k) {
    CHECK(*family.curves[k].step == Approx(1.5 + 0.5 * double(k)));
    CHECK(family.curves[k].points.size() == 61);
  }
  // The same by source-measure channels: settled points. Both agree within a few per cent of the highest current, where
  // the generator's 50 ohm let the ramp reach.
  iv::Plan settled = plan;
  settled.method = iv::Method::readings;
  settled.hookup = {};
  settled.sources[0].compliance = settled.sources[1].compliance = 50e-3;
  const auto other = family_of(taken(settled, kFet));
  const auto highest = iv::sorted(other.curves.back());
  const double few = 0.03 * *iv::current_at(highest, 0.8 * iv::sorted(family.curves.back()).voltage.back());
  for (std::size_t k = 0; k < 3; ++k) {
    const auto a = iv::sorted(family.curves[k]), b = iv::sorted(other.curves[k]);
    const double v = 0.8 * a.voltage.back();
    CHECK(*iv::current_at(a, v) == Approx(*iv::current_at(b, v)).margin(few));
  }
}

TEST_CASE("averaging sweeps lowers the noise of a ramp, and slow ramps come in stretches", "[iv][ramp]") {
  auto plan = by_difference(-0.2, 0.2, 5e-3, 100);
  for (auto& chain : plan.hookup.chains) chain.input.range = 0.5;
  const auto noise_of = [&](int averages) {
    plan.averages = averages;
    double sum = 0;
    const auto family = family_of(taken(plan, kResistor));
    for (const auto& p : family.curves[0].points) sum += p.u_current->noise;
    return sum / double(family.curves[0].points.size());
  };
  const double once = noise_of(1), often = noise_of(16);
  CHECK(once / often == Approx(4).epsilon(0.25));
  plan.averages = 1;
  plan.ramp = 2;
  const auto points = taken(plan, kResistor);
  CHECK(points.size() >= 8);
  CHECK(int(points.size()) ==
        iv::planned_points(plan, sim::SimulatedBench(*sim::read_circuit(kResistor, "c"), 1).limits()));
  // What is there after half of them is a piece of the curve, with no point of the other half.
  const auto half = family_of({points.begin(), points.begin() + long(points.size() / 2)});
  CHECK(half.size() > 80);
  CHECK(half.size() < 120);
}

TEST_CASE("records of ramps say what limits them", "[iv][ramp]") {
  auto plan = by_difference(-2, 2, 5e-3, 100);
  SECTION("a range too small is clipped, and those points stay out") {
    for (auto& chain : plan.hookup.chains) chain.input.range = 1;
    const auto analysis = iv::kind().analyse(taken(plan, kResistor), {}, {});
    REQUIRE(analysis);
    CHECK(has(analysis->reading.doubts, "input.clipped"));
    CHECK_FALSE(has(analysis->reading.doubts, "autorange.single_shot"));
  }
  SECTION("a range ten times too large") {
    for (auto& chain : plan.hookup.chains) chain.input.range = 50;
    const auto analysis = iv::kind().analyse(taken(plan, kResistor), {}, {});
    REQUIRE(analysis);
    REQUIRE(has(analysis->reading.doubts, "range.underused"));
    for (const auto& d : analysis->reading.doubts)
      if (d.key == "range.underused") {
        REQUIRE(d.edits.size() == 1);
        CHECK(iv::apply(plan, d.edits[0].first, d.edits[0].second, {"force", "device"}));
      }
  }
  SECTION("a part's tolerance is in the current's uncertainty") {
    plan.hookup.computed[0].formula = "(v1 - v2)/RS";
    const auto family = family_of(taken(plan, kResistor, 1, {.parts = {{"RS", 100}}, .parts_u = {{"RS", 0.02}}}));
    const auto& p = family.curves[0].points.back();
    CHECK(p.u_current->shared / std::abs(p.current) > 0.02);
  }
  SECTION("a rating that was neared") {
    const auto analysis = iv::kind().analyse(
        taken(plan, kResistor, 1, {.ratings = {{"force", {.voltage = 2, .current = {}, .power = {}}}}}), {}, {});
    REQUIRE(analysis);
    CHECK(has(analysis->reading.doubts, "rating.near"));
  }
}

TEST_CASE("plans by waveform are checked, come back from the dossier, and are edited word by word", "[iv][ramp]") {
  auto plan = by_difference(-2, 2, 20e-3, 100);
  const auto again = iv::plan_from_json(iv::to_json(plan));
  REQUIRE(again);
  CHECK(iv::to_json(*again) == iv::to_json(plan));
  const std::vector<std::string> pins = {"force", "device", "drive lead"};
  const auto says = [&](const iv::Plan& p) {
    std::string out;
    for (const auto& piece : iv::brief(p)) out += piece.text + " ";
    return out;
  };
  CHECK(says(plan).find("each way") != std::string::npos);
  // No word that does nothing here.
  for (const char* idle : {"with at most", "against", "linear"}) CHECK(says(plan).find(idle) == std::string::npos);
  const auto slower = iv::apply(plan, "ramp", "80 ms", pins);
  REQUIRE(slower);
  CHECK(slower->ramp == Approx(80e-3));
  CHECK(iv::slowed(plan, 4, {})[0].second == "80 ms");
  CHECK_FALSE(iv::apply(plan, "voltage", "v9", pins));
  CHECK_FALSE(iv::apply(plan, "current", "v2", pins));
  CHECK_FALSE(iv::apply(plan, "source.force.spacing", "logarithmic", pins));
  CHECK_FALSE(iv::apply(plan, "ramp", "0 s", pins));
  CHECK_FALSE(iv::apply(plan, "hookup.v2.remove", "", pins));
  // To source-measure channels and back: a hookup that was made is kept.
  const auto settled = iv::apply(plan, "method", "source-measure channels", pins);
  REQUIRE(settled);
  CHECK(says(*settled).find("with at most") != std::string::npos);
  const auto back = iv::apply(*settled, "method", "generators and inputs", pins);
  REQUIRE(back);
  CHECK(back->hookup == plan.hookup);
  auto fresh = *settled;
  fresh.hookup = {};
  fresh.sources[0].values.spacing = iv::Spacing::linear;
  const auto first = iv::apply(fresh, "method", "generators and inputs", pins);
  REQUIRE(first);
  CHECK(first->hookup.chains.size() == 2);
  const auto ruined = [&](const std::function<void(iv::Plan&)>& spoil) {
    auto p = plan;
    spoil(p);
    return !iv::check(p);
  };
  CHECK(ruined([](iv::Plan& p) { p.sources[0].force = bench::Force::current; }));
  CHECK(ruined([](iv::Plan& p) { p.source_resistance = 0; }));
  CHECK(ruined([](iv::Plan& p) { p.sources[0].against = "device"; }));
  CHECK(ruined([](iv::Plan& p) { p.ramp = NAN; }));
  CHECK(ruined([](iv::Plan& p) {
    for (const char* name : {"b", "c"}) p.sources.push_back({.name = name, .pin = name});
  }));
}

TEST_CASE("preflight of a ramp speaks before anything is driven", "[iv][ramp]") {
  const auto limits = sim::SimulatedBench(*sim::read_circuit(kResistor, "c"), 1).limits();
  auto plan = by_difference(-2, 2, 20e-3, 100);
  CHECK(iv::preflight(plan, limits, {}).empty());
  plan.sources[0].values.stop = 12;
  CHECK(has(iv::preflight(plan, limits, {}), "source.limit"));
  plan.sources[0].values.stop = 5;
  CHECK(has(iv::preflight(plan, limits, {{"force", {.voltage = 4, .current = {}, .power = {}}}}), "rating.near"));
  CHECK(has(iv::preflight(plan, limits, {{"force", {.voltage = {}, .current = 10e-3, .power = {}}}}), "rating.near"));
  plan.ramp = 2e-6;
  CHECK(has(iv::preflight(plan, limits, {}), "sampling.coarse"));
  plan.ramp = 100;
  CHECK(has(iv::preflight(plan, limits, {}), "sweep.long"));
}

TEST_CASE("a stopped ramp leaves nothing driven and keeps its stretches", "[iv][ramp]") {
  auto plan = by_difference(-0.2, 0.2, 2, 100);
  sim::SimulatedBench bench(*sim::read_circuit(kResistor, "circuit"), 1);
  std::stop_source stop;
  int kept = 0;
  const auto ok = iv::run(
      plan, bench,
      [&](const Point&) -> Result<void> {
        if (++kept == 3) stop.request_stop();
        return {};
      },
      {}, stop.get_token());
  REQUIRE_FALSE(ok);
  CHECK(ok.error().fault == Fault::stopped);
  CHECK(kept == 3);
  REQUIRE(bench.connect({{.pin = "device", .range = 0.5}}));
  const auto seen = bench.capture(1e5, 64, {});
  REQUIRE(seen);
  for (const double v : seen->channels[0].volts()) CHECK(std::abs(v) < 5e-3);
}

TEST_CASE("every source is drawn against time as it is driven", "[iv]") {
  bench::Limits limits;
  limits.source_measure_overhead = 5e-3;
  iv::Plan plan{.sources = {{.name = "drain",
                             .pin = "drain",
                             .role = iv::Role::swept,
                             .values = {.start = 0, .stop = 2, .points = 3}},
                            {.name = "gate",
                             .pin = "gate",
                             .role = iv::Role::stepped,
                             .rest = -1,
                             .values = {.start = 1, .stop = 2, .points = 2}}},
                .delay = 5e-3,
                .aperture = 20e-3,
                .rest_time = 0.1};
  const auto course = iv::time_course(plan, limits);
  REQUIRE(course.tracks.size() == 2);
  CHECK(course.seconds == Approx(6 * 50e-3 + 0.2));
  CHECK(course.seconds == Approx(iv::sweep_time(plan, limits)));
  CHECK(course.tracks[0].read.size() == 6);
  CHECK(course.tracks[0].read[1].first == Approx(0.1 + 0.1));
  CHECK(course.tracks[0].read[1].second == 1);
  CHECK(course.tracks[1].line.front().second == -1);
  CHECK(course.tracks[1].line.back().first == Approx(course.seconds));
  // Each of the stepped values is one straight line.
  CHECK(course.tracks[1].line.size() == 8);
  auto ramped = by_difference(0, 1, 10e-3, 100);
  const auto triangle = iv::time_course(ramped, limits);
  CHECK(triangle.tracks[0].read.size() == 202);
  CHECK(triangle.seconds == Approx(iv::sweep_time(ramped, limits)));
}

TEST_CASE("a formula that cannot be computed ends the run at its first stretch", "[iv][ramp]") {
  auto plan = by_difference(-0.2, 0.2, 2, 100);
  plan.hookup.computed[0].formula = "(v1 - v2)/R99";
  for (auto& chain : plan.hookup.chains) chain.input.range = 0.5;
  sim::SimulatedBench bench(*sim::read_circuit(kResistor, "circuit"), 1);
  int kept = 0;
  const auto ok = iv::run(plan, bench,
                          [&](const Point&) -> Result<void> {
                            ++kept;
                            return {};
                          },
                          {}, {});
  REQUIRE_FALSE(ok);
  CHECK(kept == 0);
  CHECK(ok.error().message.find("R99") != std::string::npos);
}

TEST_CASE("points of a ramp that make no sense are refused with their number", "[iv][ramp]") {
  const auto plan = by_difference(-2, 2, 5e-3, 100);
  const auto sound = taken(plan, kResistor);
  const auto refused = [&](const std::function<void(Point&)>& spoil) {
    auto points = sound;
    spoil(points.front());
    return !iv::reduce_take(points);
  };
  const auto misread = [&](const std::function<void(nlohmann::json&)>& spoil) {
    return refused([&](Point& p) {
      auto kept = p.setting.json();
      spoil(kept);
      p.setting = kept;
    });
  };
  CHECK_FALSE(refused([](Point&) {}));
  CHECK_FALSE(misread([](nlohmann::json&) {}));
  CHECK(misread([](nlohmann::json& j) { j.erase("ramp"); }));
  CHECK(misread([](nlohmann::json& j) { j["ramp"]["leg"] = 0; }));
  CHECK(misread([](nlohmann::json& j) { j["ramp"]["points"] = 100000000; }));
  CHECK(misread([](nlohmann::json& j) { j["ramp"]["steps"] = nlohmann::json::array(); }));
  CHECK(misread([](nlohmann::json& j) { j["ramp"]["along"] = "up"; }));
  CHECK(misread([](nlohmann::json& j) { j["roles"]["current"] = "i9"; }));
  CHECK(misread([](nlohmann::json& j) { j["roles"] = 7; }));
  CHECK(misread([](nlohmann::json& j) { j["sensing"] = {{"v1", {{"per_volt", "many"}}}}; }));
  CHECK(misread([](nlohmann::json& j) { j["computed"] = 7; }));
  CHECK(misread([](nlohmann::json& j) { j["from"] = "low"; }));
  CHECK(refused([](Point& p) { p.records.front().sample_rate = 0; }));
  CHECK(refused([](Point& p) { p.records.front().channels[1].counts.resize(5); }));
  CHECK(refused([](Point& p) { p.records.front().channels.pop_back(); }));
}
