#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "study/switching/kind.h"
#include "study/switching/preflight.h"
#include "study/switching/rank.h"
#include "study/switching/reduced.h"
#include "study/switching/study_plan.h"
#include "study/switching/words.h"
#include "truth/double_pulse.h"

using namespace heron;

namespace switching_plans {
namespace {

namespace switching = study::switching;
using switching::Plan;
using truth::DoublePulse;

study::Surroundings around() {
  study::Surroundings out{.pins = {"bus", "gate", "drain", "source", "upper gate", "drain current", "return current"}, .terminals = {"bus", "gate", "drain", "source", "upper gate"}, .grounded = {"return current"}};
  out.limits.bus_voltage = 600;
  out.limits.bus_current = 1.5;
  out.limits.gate_lowest = -12;
  out.limits.gate_highest = 22;
  out.limits.least_gate_resistance = 0.5;
  out.limits.least_dead_time = 20e-9;
  out.limits.ranges = {0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50};
  out.limits.highest_sample_rate = 1e9;
  out.limits.input.ranges = out.limits.ranges;
  out.limits.input.bandwidth = 90e6;
  out.limits.input.full_bandwidth = 420e6;
  out.ratings = {{"bus", {.voltage = 75}}, {"gate", {.voltage = 18}}, {"drain", {.voltage = 90, .current = 60}}};
  return out;
}

bench::Chain chain(const char* name, const char* pin, const char* sensor, std::optional<double> range) {
  bench::Chain out{.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor), .bandwidth_limit = false}, .zero = {}};
  if (out.input.sensor.offset > 0) out.zero = 0;
  return out;
}

Plan sound() {
  Plan out{.bus_pin = "bus", .buses = {48}, .inductance = 40e-6, .currents = {20}};
  out.gate_pin = "gate";
  out.gate_against = "source";
  out.other_pin = "upper gate";
  out.other_against = "drain";
  out.other = switching::Other::held;
  out.hookup.chains = {chain("v_ds", "drain", "Probe x10", 10), chain("i_d", "return current", "Coaxial shunt 10 mohm", 0.5), chain("v_gs", "gate", "Probe x10", 2)};
  return out;
}

const study::Doubt* find(const std::vector<study::Doubt>& all, std::string_view key) {
  for (const auto& d : all)
    if (d.key == key) return &d;
  return nullptr;
}
const study::Doubt* finding(const Plan& plan, std::string_view key) {
  static std::vector<study::Doubt> all;
  all = switching::preflight(plan, around());
  return find(all, key);
}

Plan typed(const Plan& plan, const std::string& key, const std::string& text) {
  const auto out = switching::apply(plan, key, text, around());
  if (!out) FAIL(key << ": " << out.error().message);
  return *out;
}
std::string refused(const Plan& plan, const std::string& key, const std::string& text) {
  const auto out = switching::apply(plan, key, text, around());
  return out ? std::string() : out.error().message;
}

/// Shots of a table, so many over current, with what was set for each.
std::vector<study::Point> shots(const std::vector<nlohmann::json>& settings, double scale = 1) {
  std::mt19937_64 random(11);
  std::vector<study::Point> out;
  for (const auto& s : settings) {
    DoublePulse pulse;
    pulse.first = 2e-6;
    pulse.gap = pulse.second = 1.5e-6;
    pulse.load = s.at("current");
    if (s.contains("bus")) pulse.bus = s.at("bus");
    if (s.contains("gate_resistor")) pulse.voltage_fall = 30e-9 * s.at("gate_resistor").get<double>() / 10;
    auto point = pulse.point({.i_gain = scale - 1}, random, 0.3);
    point.index = int(out.size());
    point.setting = study::Applied(s);
    out.push_back(std::move(point));
  }
  return out;
}
study::Reading read(const std::vector<study::Point>& points, const std::vector<std::string>& asked) {
  const auto out = switching::kind().analyse(points, {}, asked);
  if (!out) FAIL(out.error().message);
  return out->reading;
}
std::string why_not(const study::Reading& r, const std::string& key) {
  CHECK(!r.find(key));
  for (const auto& a : r.absent)
    if (a.key == key) return a.reason;
  return {};
}

}  // namespace

TEST_CASE("pulses follow from bus, inductor and current, and the current from the pulse", "[switching][plan]") {
  auto plan = sound();
  CHECK(plan.first(plan.steps().front()) == Approx(40e-6 * 20 / 48));
  CHECK(switching::words().text(plan, "first") == "16.67 \u00b5s");
  plan = typed(plan, "first", "12 us");
  CHECK(plan.currents.front() == Approx(48 * 12e-6 / 40e-6));
  plan = typed(plan, "buses", "24 V");
  CHECK(plan.first(plan.steps().front()) == Approx(24e-6));
  plan = typed(plan, "currents", "5 A to 20 A in 4");
  CHECK(plan.currents == std::vector<double>{5, 10, 15, 20});
  CHECK_THAT(refused(plan, "first", "10 us"), Catch::Matchers::Contains("has a first pulse of its own"));
  CHECK(switching::words().text(plan, "first") == "8.33 \u00b5s to 33.3 \u00b5s");
  plan = typed(typed(typed(plan, "resistors", "4.7 ohm, 10 ohm"), "temperatures", "25 degC, 100 degC"), "off_resistor", "3.3 ohm");
  CHECK(plan.steps().size() == 16);
  CHECK(plan.off_resistance(plan.steps().front()) == 3.3);
  CHECK(typed(plan, "off_resistor", "the same").off_resistance(plan.steps().front()) == 4.7);
  // The inner loop goes over the current, the outermost over the temperature.
  CHECK(plan.steps()[1].current == 10);
  CHECK(*plan.steps()[7].temperature == 25);
  CHECK(*plan.steps()[8].temperature == 100);
  const auto back = *switching::plan_from_json(switching::to_json(plan));
  CHECK(switching::to_json(back) == switching::to_json(plan));
}

TEST_CASE("words of a shot that make no sense are refused in words", "[switching][plan]") {
  const auto plan = sound();
  CHECK_THAT(refused(plan, "currents", "0 A"), Catch::Matchers::Contains("above zero"));
  CHECK_THAT(refused(plan, "currents", "-3 A"), Catch::Matchers::Contains("3 A lies not"));
  CHECK_THAT(refused(plan, "gate_high", "-5 V"), Catch::Matchers::Contains("above"));
  CHECK_THAT(refused(plan, "inductance", "1 H"), Catch::Matchers::Contains("samples"));
  CHECK_THAT(refused(plan, "gate_pin", "nowhere"), Catch::Matchers::Contains("bus"));
  CHECK_THAT(refused(plan, "other_pin", "gate"), Catch::Matchers::Contains("other device"));
  CHECK_THAT(refused(plan, "rate", "5 GHz"), Catch::Matchers::Contains("1 GHz"));
  CHECK_THAT(refused(plan, "first", "2 s"), Catch::Matchers::Contains("20 ns"));
  CHECK_THAT(refused(plan, "shots", "2.5"), Catch::Matchers::Contains("whole number"));
  CHECK_THAT(refused(typed(plan, "other", "is on between the pulses"), "dead_time", "3 us"), Catch::Matchers::Contains("leave nothing"));
  CHECK_THAT(refused(typed(plan, "currents", "1 A to 20 A in 1000"), "shots", "3"), Catch::Matchers::Contains("more than 2000"));
  CHECK(!switching::plan_from_json({{"other", "sideways"}}));
  CHECK(typed(plan, "gate_against", "ground").gate_against.empty());
  CHECK(typed(plan, "saturation", "60 A").saturation == 60);
  CHECK(typed(typed(plan, "saturation", "60 A"), "saturation", "not known").saturation == 0);
  std::string said;
  for (const auto& piece : switching::brief(plan)) said += piece.text + " ";
  CHECK_THAT(said, Catch::Matchers::Contains("bus charged to 48 V , 40 \u00b5H as its load, to 20 A"));
  CHECK_THAT(said, Catch::Matchers::Contains("high for 16.67 \u00b5s"));
  CHECK_THAT(switching::PlannedSwitching(plan).arms(), Catch::Matchers::Equals("48 V at bus"));
}

TEST_CASE("what a shot will do is foretold before it is fired", "[switching][plan]") {
  const auto plan = sound();
  const auto x = switching::predicted(plan, plan.steps().front());
  CHECK(x.peak_current == Approx(20 + 48 * 3e-6 / 40e-6));
  CHECK(x.inductor_energy == Approx(0.5 * 40e-6 * 23.6 * 23.6));
  CHECK(x.droop == Approx((20 * 16.6667e-6 / 2 + 21.8 * 3e-6) / 470e-6).epsilon(1e-4));
  const auto course = switching::PlannedSwitching(plan).course({});
  REQUIRE(course.tracks.size() == 2);
  CHECK(course.tracks[1].line.back().second == Approx(23.6));
}

TEST_CASE("preflight of a shot holds its ratings, its sensors and its gates", "[switching][preflight]") {
  const auto all = switching::preflight(sound(), around());
  for (const auto& d : all) {
    INFO(d.key << ": " << d.text);
    CHECK(d.severity == study::Severity::note);
  }
  auto plan = sound();
  plan.buses = {76};
  REQUIRE(finding(plan, "rating.near"));
  CHECK(finding(plan, "rating.near")->binding);
  CHECK(finding(plan, "rating.near")->severity == study::Severity::serious);
  plan.buses = {70};
  CHECK(!finding(plan, "rating.near")->binding);
  plan.buses = {60};
  CHECK(!finding(plan, "rating.near"));

  plan = sound();
  plan.gate_high = 19;
  CHECK_THAT(finding(plan, "rating.near")->text, Catch::Matchers::Contains("gate would see 19"));
  plan = sound();
  plan.saturation = 23;
  CHECK(finding(plan, "saturation.inductor"));
  plan.saturation = 24;
  CHECK(!finding(plan, "saturation.inductor"));
  plan.capacitance = 90e-6;
  CHECK(finding(plan, "bus.droop"));
  plan.capacitance = 110e-6;
  CHECK(!finding(plan, "bus.droop"));

  plan = sound();
  plan.other = switching::Other::opposite;
  plan.dead_time = 10e-9;
  REQUIRE(finding(plan, "gates.both"));
  CHECK(finding(plan, "gates.both")->binding);
  plan.dead_time = 30e-9;
  CHECK(!finding(plan, "gates.both"));
  plan.other = switching::Other::alone;
  CHECK(finding(plan, "gates.open"));

  plan = sound();
  plan.hookup.chains[1].input.range.reset();
  REQUIRE(finding(plan, "autorange.single_shot"));
  CHECK(finding(plan, "autorange.single_shot")->edits.front().second == "500 mV");
  plan.hookup.chains[1].input.range = 0.2;
  CHECK(finding(plan, "input.clipped"));
  plan.hookup.chains[1].input.range = 10;
  CHECK(finding(plan, "range.underused"));
  plan.hookup.chains.pop_back();
  plan.hookup.chains.pop_back();
  CHECK(finding(plan, "input.missing")->severity == study::Severity::serious);

  plan = sound();
  plan.rate = 100e6;
  CHECK(finding(plan, "sampling.coarse"));
  plan.rate = 250e6;
  CHECK(!finding(plan, "sampling.coarse"));
}

TEST_CASE("energy for each shot is held against a rating of power", "[switching][preflight]") {
  auto plan = sound();
  auto with = around();
  // 11.1 mJ every half second are 22.3 mW.
  with.ratings["drain"].power = 0.022;
  const auto all = switching::preflight(plan, with);
  const auto* d = find(all, "rating.near");
  REQUIRE(d);
  CHECK(d->binding);
  REQUIRE(d->edits.size() == 1);
  CHECK(d->edits.front().first == "rest");
  const auto mended = *switching::apply(plan, d->edits.front().first, d->edits.front().second, with);
  CHECK(!find(switching::preflight(mended, with), "rating.near"));
  with.ratings["drain"].power = 0.023;
  CHECK(!find(switching::preflight(plan, with), "rating.near"));
}

TEST_CASE("sensors are ranked by what they make of an edge", "[switching][preflight]") {
  auto plan = sound();
  plan.hookup.chains[1] = chain("i_d", "drain current", "Clamp 40 A", 5);
  const auto* slow = finding(plan, "bandwidth.limits_edge");
  REQUIRE(slow);
  CHECK_THAT(slow->remedy, Catch::Matchers::Contains("Fit best: Coaxial shunt 10 mohm (0.2 %, 250 MHz"));
  CHECK(slow->edits == study::Edits{{"hookup.i_d.sensor", "Coaxial shunt 10 mohm"}});
  // A shunt that would fly with the switching node: the return lead is offered.
  plan.hookup.chains[1] = chain("i_d", "drain current", "Coaxial shunt 10 mohm", 0.5);
  REQUIRE(finding(plan, "shunt.floats"));
  CHECK(finding(plan, "shunt.floats")->edits == study::Edits{{"hookup.i_d.pin", "return current"}});
  // Both pins of a gate that flies: common mode at the edge's slope.
  plan = sound();
  plan.hookup.chains[2] = chain("v_gs", "upper gate", "Differential probe x20", 1);
  plan.hookup.chains[2].input.against = "drain";
  const auto* leaks = finding(plan, "common_mode.suspected");
  REQUIRE(leaks);
  CHECK_THAT(leaks->remedy, Catch::Matchers::Contains("Isolated probe x50"));
  plan.hookup.chains[2].input.sensor = *bench::find_stock_sensor("Isolated probe x50");
  CHECK(!finding(plan, "common_mode.suspected"));

  const switching::Demand flying{.peak = 15, .edge = 20e-9, .common = 400, .swing = 15};
  const auto& differential = *bench::find_stock_sensor("Differential probe x20");
  // 80 dB from 20 kHz on fall by 20 dB a decade: at 17.5 MHz 58.8 dB are gone.
  CHECK(switching::common_mode_error(differential, flying) == Approx(400 * std::pow(10, -(80 - 20 * std::log10(17.5e6 / 20e3)) / 20) / 15));
  CHECK(switching::edge_error(differential, flying) == Approx(std::hypot(1, 0.35 / 60e6 / 20e-9) - 1));
  std::vector<const bench::Sensor*> sensors;
  for (const auto& s : bench::stock_sensors()) sensors.push_back(&s);
  const auto order = switching::ranked(sensors, flying);
  REQUIRE(!order.empty());
  CHECK(order.front().sensor->name == "Isolated probe x50");
  for (const auto& one : order) {
    CHECK(!one.sensor->senses_current());
    CHECK((one.sensor->kind == bench::SensorKind::differential || one.sensor->kind == bench::SensorKind::isolated));
  }
  for (std::size_t k = 1; k < order.size(); ++k) CHECK(order[k].error >= order[k - 1].error);
}

TEST_CASE("energies of several shots are read at a current, by bus and by gate resistor", "[switching][sweep]") {
  const auto truth = [](double current, double bus = 400, double resistor = 10) {
    DoublePulse pulse;
    pulse.load = current;
    pulse.bus = bus;
    pulse.voltage_fall = 30e-9 * resistor / 10;
    return pulse.truth();
  };
  const auto plain = shots({{{"current", 10.0}}, {{"current", 30.0}}, {{"current", 20.0}}});
  const auto r = read(plain, {"energy.on@15A", "energy.total@20A", "energy.on@45A", "energy.recovery@20A", "energy.on@20A,Rg=10"});
  CHECK(r.find("energy.on@15A")->value == Approx((truth(10)["energy.on"] + truth(20)["energy.on"]) / 2).epsilon(0.003));
  CHECK(r.find("energy.on@15A")->at == std::vector<double>{15});
  CHECK(r.find("energy.total@20A")->value == Approx(truth(20)["energy.on"] + truth(20)["energy.off"]).epsilon(0.003));
  CHECK_THAT(why_not(r, "energy.on@45A"), Catch::Matchers::Contains("from 10") && Catch::Matchers::Contains("to 30"));
  CHECK_THAT(why_not(r, "energy.recovery@20A"), Catch::Matchers::Contains("no shot has it"));
  CHECK_THAT(why_not(r, "energy.on@20A,Rg=10"), Catch::Matchers::Contains("do not tell their gate resistor"));
  CHECK_THAT(why_not(r, "energy.on"), Catch::Matchers::Contains("differs between 3 settings"));

  const auto buses = shots({{{"current", 10.0}, {"bus", 400.0}}, {{"current", 20.0}, {"bus", 400.0}}, {{"current", 10.0}, {"bus", 200.0}}, {{"current", 20.0}, {"bus", 200.0}}});
  const auto by_bus = read(buses, {"energy.on@15A", "energy.on@15A,200V", "energy.on@15A,V=400V", "energy.on@15A,100V"});
  CHECK_THAT(why_not(by_bus, "energy.on@15A"), Catch::Matchers::Contains("400 V; 200 V"));
  CHECK(by_bus.find("energy.on@15A,200V")->value == Approx((truth(10, 200)["energy.on"] + truth(20, 200)["energy.on"]) / 2).epsilon(0.005));
  CHECK(by_bus.find("energy.on@15A,V=400V")->value > 1.5 * by_bus.find("energy.on@15A,200V")->value);
  CHECK(why_not(by_bus, "energy.on@15A,100V") == "no shot was taken so");

  const auto resistors = shots({{{"current", 10.0}, {"gate_resistor", 5.0}}, {{"current", 20.0}, {"gate_resistor", 5.0}}, {{"current", 10.0}, {"gate_resistor", 20.0}}, {{"current", 20.0}, {"gate_resistor", 20.0}}});
  const auto by_resistor = read(resistors, {"energy.on@20A,Rg=5", "energy.on@20A,Rg=20ohm"});
  CHECK(by_resistor.find("energy.on@20A,Rg=5")->value == Approx(truth(20, 400, 5)["energy.on"]).epsilon(0.01));
  CHECK(by_resistor.find("energy.on@20A,Rg=20ohm")->value == Approx(truth(20, 400, 20)["energy.on"]).epsilon(0.01));
  const auto curve = *switching::kind().analyse(resistors, {}, {})->curve;
  CHECK(curve.x_name == "current");
  CHECK(curve.all("energy.on").size() == 2);
  CHECK(curve.all("energy.total").size() == 2);

  // Shots of one setting are one, as their mean.
  const auto same = shots({{{"current", 20.0}}, {{"current", 20.0}}, {{"current", 20.0}}});
  CHECK(read(same, {}).find("energy.on")->value == Approx(truth(20)["energy.on"]).epsilon(0.003));
}

TEST_CASE("energies over current have a fit with what it leaves, and a data sheet's points are scaled", "[switching][sweep]") {
  switching::Family family;
  for (const double i : {5.0, 10.0, 15.0, 20.0, 25.0}) {
    switching::SweepPoint p{.load = i, .energy = {}};
    switching::Found f;
    f.value = 1e-6 + 2e-7 * i + 3e-9 * i * i;
    f.own = 1e-8;
    p.energy[0] = f;
    family.points.push_back(p);
  }
  const auto fit = switching::fit_of(family, switching::Energy::on);
  REQUIRE(fit);
  CHECK(fit->constant == Approx(1e-6));
  CHECK(fit->linear == Approx(2e-7));
  CHECK(fit->square == Approx(3e-9));
  CHECK(fit->residual < 1e-12);
  CHECK(fit->at(12) == Approx(1e-6 + 2.4e-6 + 3e-9 * 144));
  CHECK(fit->u_linear > 0);
  family.points.resize(3);
  CHECK(switching::fit_of(family, switching::Energy::on)->square == 0);
  family.points.resize(2);
  CHECK(!switching::fit_of(family, switching::Energy::on));

  const auto settings = *switching::settings_from_text({{"expected.on", "10 A 20 uJ, 20A 44uJ"}, {"expected.voltage", "100 V"}, {"expected.resistor", "5 ohm"}});
  REQUIRE(settings.expected_on == switching::Promised{{10, 20e-6}, {20, 44e-6}});
  CHECK(switching::scaled(settings.expected_on, settings, 50, 10.0)[1].second == Approx(44e-6));
  CHECK(switching::scaled(settings.expected_on, settings, 50, {})[0].second == Approx(10e-6));
}

TEST_CASE("settings of shots read back as they were said, and nonsense is told", "[switching][settings]") {
  const study::SettingsText all = {{"wire.i_d", "-10*i_shunt"}, {"v_bus", "48 V"}, {"on.end", "2 %"}, {"skew", "1.2 ns"}, {"zero", "off"}, {"shunt", "10 mohm"}, {"safe_voltage", "50 V"}, {"expected.off", "10 A 5 uJ"}, {"u_limit", "3"}};
  const auto read_so = *switching::settings_from_text(all);
  CHECK(read_so.skew == Approx(1.2e-9));
  CHECK(read_so.wires.at("i_d").factor == -10);
  CHECK(switching::as_text(*switching::settings_from_text(switching::as_text(read_so))) == switching::as_text(read_so));
  for (const auto& [key, text] : std::vector<std::pair<std::string, std::string>>{{"on.start", "0 %"}, {"on.start", "120 %"}, {"v_bus", "-5 V"}, {"zero", "maybe"}, {"expected.on", "20 A 3 uJ, 10 A 2 uJ"}, {"expected.on", "fast"}, {"gain", "2"}}) {
    INFO(key << " = " << text);
    CHECK(!switching::kind().check_setting(key, text));
  }
  for (const char* key : {"on.start", "on.end", "off.start", "off.end"}) {
    INFO(key);
    CHECK(switching::kind().check_setting(key, "0.1 %"));
    CHECK(switching::kind().check_setting(key, "99.9 %"));
    CHECK(!switching::kind().check_setting(key, "100.5 %"));
    CHECK(!switching::kind().check_setting(key, "-0.1 %"));
  }
  CHECK(!switching::settings_from_text({{"skew", "2 ms"}}));
  CHECK(!switching::settings_from_text({{"from", "2 us"}, {"to", "1 us"}}));
  CHECK(!switching::settings_from_text({{"step", "1 ns"}, {"sample_rate", "1 GHz"}}));
  for (const char* key : {"energy.on", "skew", "energy.total@20A", "energy.on@20A,48V", "energy.off@20A,Rg=4.7,T=100degC"}) CHECK(switching::kind().check_figure(key));
  for (const char* key : {"energy", "energy.total", "peak.voltage@20A", "energy.on@", "energy.on@20V", "energy.on@20A,20A", "energy.on@20A,48V,50V", "energy.on@-3A", "energy.on@20A,Rx=3"}) {
    INFO(key);
    CHECK(!switching::kind().check_figure(key));
  }
  CHECK(*switching::kind().unit_of("energy.total@20A") == "J");
  CHECK(*switching::kind().unit_of("overshoot.voltage") == "%");
  CHECK(switching::settings_from_text({{"step", "1 ns"}}));
  CHECK(switching::settings_from_text({{"sample_rate", "1 GHz"}}));
  CHECK_FALSE(switching::settings_from_text({{"step", "1 ns"}, {"sample_rate", "1 GHz"}}));
  for (const char* skew : {"0.99 ms", "-0.99 ms"}) CHECK(switching::settings_from_text({{"skew", skew}}));
  for (const char* skew : {"1.01 ms", "-1.01 ms"}) CHECK_FALSE(switching::settings_from_text({{"skew", skew}}));
}

TEST_CASE("files of a shot each are one take", "[switching][cli]") {
  CHECK(switching::kind().files_are_points);
}

}  // namespace switching_plans
