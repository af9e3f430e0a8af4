#include <catch2/catch.hpp>
#include <cmath>

#include "study/preflight.h"
#include "study/switching/preflight.h"
#include "study/switching/rank.h"
#include "study/switching/study_plan.h"
#include "words_support.h"

using namespace heron;

/// What each word of a shot takes, refuses and says, what it foretells, and what is found beforehand.
namespace switching_words {
namespace {

namespace switching = study::switching;
using Catch::Matchers::Contains;
using switching::Other;
using switching::Plan;
using switching::PlannedSwitching;

study::Surroundings around() {
  study::Surroundings out{.pins = {"bus", "gate", "drain", "source", "upper gate", "drain current", "return current"}, .terminals = {"bus", "gate", "drain", "source", "upper gate"}, .grounded = {"return current"}};
  out.limits.bus_voltage = 600;
  out.limits.bus_current = 1.5;
  out.limits.gate_lowest = -12;
  out.limits.gate_highest = 22;
  out.limits.least_gate_resistance = 0.5;
  out.limits.least_dead_time = 20e-9;
  out.limits.ranges = {0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50};
  out.limits.highest_sample_rate = 1e9;
  out.limits.input.ranges = out.limits.ranges;
  out.limits.input.bandwidth = 90e6;
  out.limits.input.full_bandwidth = 420e6;
  return out;
}

/// A sensor without a fault, so that nothing is found of it.
bench::Sensor clean(const char* stock) {
  auto out = *bench::find_stock_sensor(stock);
  out.rating = out.bandwidth = out.rejection_db = 0;
  return out;
}
bench::Chain chain(const char* name, const char* pin, bench::Sensor sensor, double range) {
  return {.name = name, .input = {.pin = pin, .range = range, .sensor = std::move(sensor), .bandwidth_limit = false}, .zero = 0};
}

Plan plan() {
  Plan out{.bus_pin = "bus", .buses = {48}, .inductance = 40e-6, .currents = {20}};
  out.gate_pin = "gate";
  out.gate_against = "source";
  out.other_pin = "upper gate";
  out.other_against = "drain";
  out.other = Other::held;
  out.hookup.chains = {chain("v_ds", "drain", clean("Probe x10"), 10), chain("i_d", "return current", clean("Shunt 10 mohm"), 0.5)};
  return out;
}

Plan of(const study::PlanPtr& planned) { return dynamic_cast<const PlannedSwitching&>(*planned).plan(); }
Plan with(const Plan& p, std::string_view key, std::string_view text) { return of(test::with(PlannedSwitching(p), key, text, around())); }
std::string refused(const Plan& p, std::string_view key, std::string_view text) { return test::refused(PlannedSwitching(p), key, text, around()); }
std::string sentence(const Plan& p) { return test::sentence(PlannedSwitching(p)); }
std::string text_of(const Plan& p, const char* key) { return test::text_of(PlannedSwitching(p), key); }

}  // namespace

TEST_CASE("numbers of a shot are taken to their ends and refused beyond them", "[switching][words]") {
  auto slow = plan();
  slow.rate = 1e3;
  auto opposite = slow;
  opposite.other = Other::opposite;
  opposite.gap = 10e-3;
  struct Ends {
    Plan from;
    const char *key, *least, *below, *most, *beyond;
  };
  const Ends all[] = {
      {slow, "capacitance", "1 nF", "0.9 nF", "1 F", "1.1 F"},
      {slow, "inductance", "10 nH", "9 nH", "1 H", "1.1 H"},
      {slow, "gap", "50 ns", "49 ns", "10 ms", "10.1 ms"},
      {slow, "second", "20 ns", "19 ns", "10 ms", "10.1 ms"},
      {opposite, "dead_time", "0 s", "-1 ns", "1 ms", "1.1 ms"},
      {plan(), "gate_low", "-30 V", "-31 V", "11.9 V", "12 V"},
      {[] { auto p = plan(); p.gate_high = 40; return p; }(), "gate_low", "0 V", "-31 V", "30 V", "30.5 V"},
      {[] { auto p = plan(); p.gate_low = -40; return p; }(), "gate_high", "-30 V", "-30.5 V", "30 V", "31 V"},
      {plan(), "gate_high", "0.1 V", "0 V", "30 V", "31 V"},
      {plan(), "edge", "0.1 ns", "0.09 ns", "1 ms", "1.1 ms"},
      {plan(), "shots", "1", "0", "1000", "1001"},
      {plan(), "rest", "1 ms", "0.9 ms", "3600 s", "3601 s"},
      {slow, "before", "100 ns", "99 ns", "10 ms", "10.1 ms"},
      {slow, "after", "100 ns", "99 ns", "10 ms", "10.1 ms"},
      {slow, "first", "20 ns", "19 ns", "1 s", "1.1 s"},
      {plan(), "buses", "0.1 V", "0 V", "600 V", "601 V"},
      {slow, "currents", "1 mA", "0 A", "10 kA", "10.1 kA"},
      {plan(), "resistors", "1 mohm", "0 ohm", "10 kohm", "10.1 kohm"},
      {plan(), "off_resistor", "1 mohm", "0 ohm", "10 kohm", "10.1 kohm"},
      {plan(), "saturation", "1 mA", "0 A", "100 kA", "101 kA"},
      {plan(), "temperatures", "-199 degC", "-200 degC", "399 degC", "400 degC"},
  };
  for (const auto& e : all) {
    CAPTURE(e.key);
    CHECK(refused(e.from, e.key, e.least) == "");
    CHECK(refused(e.from, e.key, e.most) == "");
    CHECK(refused(e.from, e.key, e.below) != "");
    CHECK(refused(e.from, e.key, e.beyond) != "");
  }
}

TEST_CASE("a plan of shots that cannot be is refused with what would do", "[switching][words]") {
  auto p = plan();
  // 16.777 ms of a nanosecond each, less the rest of the record: 12 us.
  p.inductance = 48e-3 / 20;
  CHECK(refused(p, "currents", "335.3 A") == "");
  CHECK_THAT(refused(p, "currents", "335.4 A"), Contains("The first pulse to 335.4 A takes 17 ms: its record has more than 16777216 samples. Sample more slowly, or take a smaller inductor."));
  p = plan();
  CHECK_THAT(refused(p, "gate_high", "0 V"), Contains("The gate is high above 0 V, not at 0 V."));
  CHECK_THAT(refused(p, "other_pin", "gate"), Contains("Name the pin of the other device's gate."));
  p.other_pin.clear();
  CHECK_THAT(refused(p, "gap", "4 us"), Contains("Name the pin of the other device's gate."));
  p.other = Other::alone;
  CHECK(refused(p, "gap", "4 us") == "");
  p = plan();
  p.other = Other::opposite;
  CHECK(refused(p, "dead_time", "1.99 us") == "");
  CHECK_THAT(refused(p, "dead_time", "2 us"), Contains("Two dead times of 2 µs leave nothing of the 4 µs between the pulses."));
  p.other = Other::held;
  CHECK(refused(p, "dead_time", "2 us") == "");
  p.currents.assign(2000, 5);
  CHECK(refused(p, "gap", "4 us") == "");
  CHECK_THAT(refused(p, "shots", "2"), Contains("4000 shots are more than 2000."));
  p.currents.push_back(5);
  CHECK_THAT(refused(p, "gap", "4 us"), Contains("2001 shots are more than 2000."));
  for (const char* missing : {"buses", "currents", "resistors"}) {
    auto kept = switching::to_json(plan());
    kept[missing] = nlohmann::json::array();
    CHECK_FALSE(switching::planned(kept));
  }
  CHECK_THAT(refused(plan(), "first", "1.1 s"), Contains("1.1 s lies not from 20 ns to 1 s."));
  p = plan();
  p.buses = {24, 48};
  CHECK_THAT(refused(p, "first", "10 us"), Contains("Each current and bus voltage has a first pulse of its own: change those."));
}

TEST_CASE("words of a shot say what follows, and what stands for nothing", "[switching][words]") {
  auto p = plan();
  CHECK(with(p, "first", "12 us").currents.front() == Approx(48 * 12e-6 / 40e-6));
  CHECK(text_of(p, "first") == "16.67 µs");
  p.currents = {5, 20};
  CHECK(text_of(p, "first") == "4.17 µs to 16.7 µs");
  p.currents = {10, 15};
  CHECK(text_of(p, "first") == "8.33 µs to 12.5 µs");
  CHECK(text_of(with(plan(), "saturation", "0.5 A"), "saturation") == "500 mA");
  CHECK_THAT(test::hint_of(PlannedSwitching(p), "first", around()).allowed, Contains("L I / V: 40 µH and 48 V give it; typed, the current follows"));
  CHECK(text_of(plan(), "off_resistor") == "the same");
  CHECK(text_of(with(plan(), "off_resistor", "4.7 ohm"), "off_resistor") == "4.7 Ω");
  CHECK(text_of(with(plan(), "off_resistor", "0.5 ohm"), "off_resistor") == "500 mΩ");
  for (const char* word : {"the same", " same "}) CHECK(with(with(plan(), "off_resistor", "4.7 ohm"), "off_resistor", word).off_resistor == 0);
  CHECK(text_of(plan(), "saturation") == "not known");
  for (const char* word : {"not known", "none"}) CHECK(with(with(plan(), "saturation", "60 A"), "saturation", word).saturation == 0);
  CHECK(text_of(plan(), "temperatures") == "as it is");
  for (const char* word : {"as it is", " none"}) CHECK(with(with(plan(), "temperatures", "25 degC, 100 degC"), "temperatures", word).temperatures.empty());
  for (const char* word : {"ground", "none"}) CHECK(with(plan(), "gate_against", word).gate_against.empty());
  CHECK(text_of(with(plan(), "gate_against", "ground"), "gate_against") == "ground");
  CHECK(with(plan(), "gate_against", "drain").gate_against == "drain");
  CHECK(test::hint_of(PlannedSwitching(plan()), "gate_against", around()).choices.front() == "ground");
  CHECK_THAT(sentence(plan()), Contains("bus charged to 48 V , 40 µH as its load, to 20 A ."));
  CHECK_THAT(sentence(plan()), Contains("gate against source high for 16.67 µs , again after 4 µs for 3 µs , from 0 V to 12 V through 10 Ω ."));
  CHECK_THAT(sentence(plan()), Contains("The other device's gate upper gate against drain is held off ."));
  CHECK_THAT(sentence(with(plan(), "other", "is on between the pulses")), Contains("upper gate against drain is on between the pulses , 300 ns apart."));
  CHECK_THAT(sentence(with(plan(), "other", "alone")), Contains("The other device has no driver ."));
  CHECK_THAT(sentence(plan()), Contains("1 shot of each at 1 GHz ."));
  CHECK_THAT(sentence(plan()), Contains("the same as the resistor while it turns off; temperature as it is ; 500 ms from shot to shot; the bus has 470 µF , the load's saturation not known ;"));
  CHECK_THAT(sentence(plan()), Contains("2 µs of the record before and 3 µs after the pulses; edges of 20 ns expected; once ;"));
}

TEST_CASE("what a shot draws, holds and takes is foretold", "[switching][plan]") {
  auto p = plan();
  p.capacitance = 100e-6;
  p.rest = 0.25;
  const auto x = switching::predicted(p, p.steps().front());
  // 20 A after 16.667 us, then 48 V on 40 uH for 3 us: 3.6 A more.
  CHECK(x.first == Approx(40e-6 * 20 / 48));
  CHECK(x.peak_current == Approx(23.6));
  CHECK(x.conducted == Approx(20 * 16.66667e-6 / 2 + 21.8 * 3e-6));
  CHECK(x.droop == Approx(x.conducted / 100e-6));
  CHECK(x.inductor_energy == Approx(0.5 * 40e-6 * 23.6 * 23.6));
  CHECK(x.power == Approx(x.inductor_energy / 0.25));
  CHECK(p.length(p.steps().front()) == Approx(2e-6 + 16.66667e-6 + 4e-6 + 3e-6 + 3e-6));
  CHECK(p.samples(p.steps().front()) == 28668);
  CHECK(p.off_resistance(p.steps().front()) == 10);
  // A bus of 48 V is charged once by 1.5 A; then each shot has its time.
  bench::Limits limits;
  limits.bus_current = 1.5;
  p.shots = 3;
  const double shot = 0.25 + p.length(p.steps().front());
  CHECK(p.seconds(limits) == Approx(100e-6 * 48 / 1.5 + 3 * shot));
  limits.bus_current = 0.5;
  CHECK(p.seconds(limits) == Approx(100e-6 * 48 / 0.5 + 3 * shot));
  limits.bus_current = 0;
  CHECK(p.seconds(limits) == Approx(3 * shot));
  limits.bus_current = 1.5;
  p.buses = {48, 24};
  CHECK(p.seconds(limits) == Approx(100e-6 * (48 + 24) / 1.5 + 3 * (0.5 + p.length(p.steps()[0]) + p.length(p.steps()[1]))));
  CHECK(PlannedSwitching(p).points(limits) == 6);
  CHECK(test::spaced(PlannedSwitching(p).arms()) == "48 V at bus");
  CHECK_THAT(test::spaced(PlannedSwitching(p).time_sentence(limits)), Contains("6 shots, 1.5 s on a real bench; up to 23.6 A and 11 mJ in the load."));
  p.buses = {24};
  p.shots = 1;
  CHECK_THAT(test::spaced(PlannedSwitching(p).time_sentence(limits)), Contains("1 shot, 252 ms on a real bench; up to 21.8 A and 9.5 mJ in the load."));
  p.currents = {0.2};
  p.second = 0.5e-6;
  CHECK_THAT(test::spaced(PlannedSwitching(p).time_sentence(limits)), Contains("up to 500 mA and 5.0 µJ in the load."));
  p.second = 3e-6;
  // Over time: the gate's two pulses, and the load's current, of the longest first pulse.
  p.currents = {5, 20};
  p.buses = {48};
  const auto course = PlannedSwitching(p).course({});
  REQUIRE(course.tracks.size() == 2);
  const double b = 2e-6 + 40e-6 * 20 / 48;
  CHECK(course.seconds == Approx(b + 10e-6));
  const auto& gate = course.tracks[0].line;
  REQUIRE(gate.size() == 10);
  const std::vector<std::pair<double, double>> wanted = {{0, 0}, {2e-6, 0}, {2e-6, 12}, {b, 12}, {b, 0}, {b + 4e-6, 0}, {b + 4e-6, 12}, {b + 7e-6, 12}, {b + 7e-6, 0}, {b + 10e-6, 0}};
  for (std::size_t k = 0; k < gate.size(); ++k) {
    CAPTURE(k);
    CHECK(gate[k].first == Approx(wanted[k].first));
    CHECK(gate[k].second == wanted[k].second);
  }
  const std::vector<std::pair<double, double>> load = {{0, 0}, {2e-6, 0}, {b, 20}, {b + 4e-6, 20}, {b + 7e-6, 23.6}, {b + 10e-6, 23.6}};
  REQUIRE(course.tracks[1].line.size() == load.size());
  for (std::size_t k = 0; k < load.size(); ++k) {
    CAPTURE(k);
    CHECK(course.tracks[1].line[k].first == Approx(load[k].first));
    CHECK(course.tracks[1].line[k].second == Approx(load[k].second));
  }
}

TEST_CASE("a plan of shots says what drives, what mends, and comes back as it was", "[switching][words]") {
  auto p = plan();
  const auto leads = PlannedSwitching(p).leads();
  REQUIRE(leads.size() == 3);
  CHECK(leads[0].pin == "bus");
  CHECK(leads[0].along);
  CHECK(leads[1].pin == "gate");
  CHECK(leads[1].against == "source");
  CHECK(leads[2].pin == "upper gate");
  p.other = Other::alone;
  CHECK(PlannedSwitching(p).leads().size() == 2);
  const auto edits = [&](study::Mend mend) {
    const auto all = PlannedSwitching(p).remedy(study::mended_by(mend, {})).edits;
    return all.empty() ? std::string() : all.front().first + " " + test::spaced(all.front().second);
  };
  CHECK(edits(study::Mend::average) == "shots 4");
  p.shots = 400;
  CHECK(edits(study::Mend::average) == "shots 1000");
  CHECK(edits(study::Mend::raise_inductance) == "inductance 80 µH");
  p.inductance = 40.6e-6;
  CHECK(edits(study::Mend::raise_inductance) == "inductance 81 µH");
  CHECK(edits(study::Mend::settle).empty());
  p.repeat = study::Repeat::last;
  p.temperatures = {-40, 85};
  const auto back = switching::planned(switching::to_json(p));
  REQUIRE(back);
  CHECK(switching::to_json(of(*back)) == switching::to_json(p));
  CHECK((*back)->repeat() == study::Repeat::last);
  const auto first = switching::first_plan(around());
  REQUIRE(first);
  CHECK(of(*first).bus_pin == "bus");
  CHECK(of(*first).gate_pin == "gate");
  REQUIRE(of(*first).hookup.chains.size() == 2);
  CHECK(of(*first).hookup.chains[0].input.pin == "drain");
  CHECK(of(*first).hookup.chains[1].input.pin == "drain current");
  auto few = around();
  few.pins.insert(few.pins.begin(), std::string(bench::kDriveLead));
  few.terminals.resize(3);
  const auto three = switching::first_plan(few);
  REQUIRE(three);
  CHECK(of(*three).hookup.chains[1].input.pin == "source");
  few.terminals.resize(2);
  REQUIRE_FALSE(switching::first_plan(few));
  CHECK(switching::first_plan(few).error().fault == Fault::usage);
}

namespace {

/// What is said of a rating of the bus.
std::string rated_bus(study::Surroundings among, const Plan& p, double most) {
  among.ratings = {{"bus", {.voltage = most}}};
  for (const auto& d : switching::preflight(p, among))
    if (d.key == "rating.near") return test::spaced(d.text);
  return {};
}

}  // namespace

TEST_CASE("preflight of a shot finds each trouble just beyond its limit and not just within", "[switching][preflight]") {
  auto among = around();
  const auto of = [&](const Plan& p) { return switching::preflight(p, among); };
  const auto says = [&](const Plan& p, std::string_view key) {
    for (const auto& d : of(p))
      if (d.key == key) return test::spaced(d.text);
    return std::string();
  };
  const auto edit = [&](const Plan& p, std::string_view key) {
    for (const auto& d : of(p))
      if (d.key == key && !d.edits.empty()) return d.edits.front().first + " " + test::spaced(d.edits.front().second);
    return std::string();
  };
  const auto refusal = [&](const Plan& p) { return bool(study::refusal(of(p))); };
  const auto p = plan();
  CHECK(of(p).empty());
  // What the bench has.
  auto other = p;
  other.inductance = 400e-6;
  other.hookup.chains[0].input.range = 50;
  other.buses = {600};
  CHECK(says(other, "source.limit").empty());
  other.buses = {600, 601};
  CHECK(says(other, "source.limit") == "The bus source reaches 600 V.");
  CHECK(edit(other, "source.limit") == "buses 600 V");
  other = p;
  other.gate_high = 22;
  other.gate_low = -12;
  CHECK(says(other, "source.limit").empty());
  other.gate_high = 22.1;
  CHECK(says(other, "source.limit") == "The gate driver goes from −12 V to 22 V.");
  other.gate_high = 22;
  other.gate_low = -12.1;
  CHECK_FALSE(says(other, "source.limit").empty());
  // Small ones count as well.
  other = p;
  other.buses = {0.5};
  among.limits.bus_voltage = 0.4;
  CHECK(says(other, "source.limit") == "The bus source reaches 400 mV.");
  among.limits.bus_voltage = 600;
  CHECK(rated_bus(among, other, 0.4) == "bus would see 500 mV; its rating is 400 mV.");
  CHECK(rated_bus(among, other, 0.9).empty());
  other = p;
  other.gate_high = 0.9;
  among.limits.gate_highest = 0.8;
  CHECK(says(other, "source.limit") == "The gate driver goes from −12 V to 800 mV.");
  among.limits.gate_highest = 22;
  other.rate = 0.9;
  among.limits.highest_sample_rate = 0.8;
  CHECK(says(other, "sampling.coarse") == "These inputs sample at 800 mHz at most.");
  among.limits.highest_sample_rate = 1e9;
  other = p;
  other.resistors = {10, 0.5};
  CHECK(says(other, "source.limit").empty());
  other.off_resistor = 0.4;
  CHECK(says(other, "source.limit") == "The gate driver has 500 mΩ of its own.");
  other = p;
  other.rate = 1.1e9;
  CHECK(says(other, "sampling.coarse") == "These inputs sample at 1 GHz at most.");
  CHECK(edit(other, "sampling.coarse") == "rate 1 GHz");
  other.rate = 0.2e9;
  CHECK(says(other, "sampling.coarse").empty());
  other.rate = 0.19e9;
  CHECK(says(other, "sampling.coarse") == "An edge of 20 ns has 3.8 samples at 190 MHz.");
  CHECK(edit(other, "sampling.coarse").empty());
  other.hookup.digitiser = bench::Digitiser::accurate;
  CHECK(edit(other, "sampling.coarse") == "hookup.digitiser fast");
  // Ratings of pins: from nine tenths on, refused beyond.
  const auto rated = [&](const char* pin, double most, const Plan& of_plan) {
    among.ratings = {{pin, {.voltage = most}}};
    const auto text = says(of_plan, "rating.near");
    const bool hard = refusal(of_plan);
    among.ratings.clear();
    return std::pair{text, hard};
  };
  CHECK(rated("bus", 53.4, p).first.empty());
  CHECK(rated("bus", 53.2, p) == std::pair{std::string("bus would see 48.0 V, 90 % of its rating."), false});
  CHECK_FALSE(rated("bus", 48, p).second);
  CHECK(rated("bus", 47.9, p) == std::pair{std::string("bus would see 48.0 V; its rating is 47.9 V."), true});
  CHECK(rated("drain", 47.9, p).second);
  CHECK(rated("gate", 11.9, p).second);
  CHECK(rated("upper gate", 11.9, p).second);
  other = p;
  other.other = Other::alone;
  CHECK(rated("upper gate", 11.9, other).first.empty());
  CHECK(says(other, "gates.open") == "No driver holds the other device's gate: what holds it off must be on the board.");
  other = p;
  other.gate_low = -8;
  among.ratings = {{"gate", {.voltage = 20, .reverse_voltage = 7}}};
  CHECK(says(other, "rating.near") == "gate would see −8.00 V; its rating is −7 V.");
  other.gate_low = -6.4;
  CHECK(says(other, "rating.near") == "gate would see −6.40 V, 91 % of its rating.");
  // A branch's rating of current: 23.6 A at the second pulse's end.
  among.ratings = {{"return current", {.current = 26.3}}};
  CHECK(says(p, "rating.near").empty());
  among.ratings["return current"].current = 26.1;
  CHECK(says(p, "rating.near") == "return current would see 23.6 A, 90 % of its rating.");
  CHECK_FALSE(refusal(p));
  among.ratings["return current"].current = 23.5;
  CHECK(says(p, "rating.near") == "return current would see 23.6 A; its rating is 23.5 A.");
  CHECK(refusal(p));
  among.ratings = {{"drain", {.power = 0.0222}}};
  CHECK_THAT(says(p, "rating.near"), Contains("of each shot every 500 ms are 22.3 mW; drain bears 22.2 mW."));
  CHECK(edit(p, "rating.near") == "rest 550 ms");
  among.ratings["drain"].power = 0.0224;
  CHECK(says(p, "rating.near").empty());
  among.ratings.clear();
  // The load and the bus.
  other = p;
  other.saturation = 23.5;
  CHECK(says(other, "saturation.inductor") == "The load reaches 23.6 A; it saturates at 23.5 A.");
  other.saturation = 23.7;
  CHECK(says(other, "saturation.inductor").empty());
  // 232.1 uC: a twentieth of 48 V is left of 96.7 uF.
  other = p;
  other.capacitance = 96e-6;
  CHECK_THAT(says(other, "bus.droop"), Contains("during a shot: 96 µF holds too little."));
  other.capacitance = 97.5e-6;
  CHECK(says(other, "bus.droop").empty());
  other = p;
  other.other = Other::opposite;
  other.dead_time = 19e-9;
  CHECK(says(other, "gates.both") == "Both gates would be on at once: 19 ns between them, where 20 ns is the least.");
  CHECK(edit(other, "gates.both") == "dead_time 300 ns");
  CHECK(refusal(other));
  other.dead_time = 20e-9;
  CHECK(says(other, "gates.both").empty());
  // Ranges: 72 V behind ten are 7.2 V; 33 A in 10 mohm are 0.33 V.
  other = p;
  other.hookup.chains[0].input.range = 5;
  CHECK(says(other, "input.clipped") == "v_ds may reach 72.0 V; its range ends at 50.0 V.");
  CHECK(edit(other, "input.clipped") == "hookup.v_ds.range 10 V");
  other.hookup.chains[0].input.range = 50;
  CHECK(says(other, "range.underused").empty());
  other.buses = {33};
  CHECK(says(other, "range.underused") == "v_ds uses 9.9 % of its range.");
  other = p;
  other.hookup.chains[1].input.range.reset();
  CHECK(says(other, "autorange.single_shot") == "i_d looks for its range by itself; a shot is over before it has found it.");
  CHECK(edit(other, "autorange.single_shot") == "hookup.i_d.range 500 mV");
  other = p;
  other.hookup.chains[0].name = "v";
  CHECK(says(other, "input.missing") == "No quantity is called v_ds: nothing of a shot can be read without it.");
}

TEST_CASE("what sensors can show of a shot is found just beyond its limit and not just within", "[switching][preflight]") {
  const auto among = around();
  const auto found = [&](const Plan& p, std::string_view key) {
    for (const auto& d : switching::preflight(p, among))
      if (d.key == key) return d;
    return study::Doubt{};
  };
  const auto says = [&](const Plan& p, std::string_view key) { return test::spaced(found(p, key).text); };
  // Edges of 20 ns: half as long again as 0.35 over 26.25 MHz.
  auto p = plan();
  auto& v = p.hookup.chains[0].input.sensor;
  v.bandwidth = 27e6;
  CHECK(says(p, "bandwidth.limits_edge").empty());
  v.bandwidth = 26e6;
  CHECK_THAT(says(p, "bandwidth.limits_edge"), Contains("v_ds shows edges of 13 ns and more (26 MHz); 20 ns are expected."));
  CHECK(found(p, "bandwidth.limits_edge").place == study::Place::hookup);
  v.bandwidth = 25.67e6;
  CHECK_THAT(says(p, "bandwidth.limits_edge"), Contains("(26 MHz)"));
  // The three that fit best are named.
  const auto remedy = found(p, "bandwidth.limits_edge").remedy;
  CHECK_THAT(remedy, Catch::Matchers::StartsWith("Fit best: ") && Catch::Matchers::EndsWith("."));
  CHECK(std::count(remedy.begin(), remedy.end(), ';') == 2);
  // What both pins move by and a sensor lets through: 48 V behind 60 dB are 0.1 % of 48 V, ten times that at ten times its corner.
  p = plan();
  auto& flies = p.hookup.chains[0].input;
  flies.against = "source";
  flies.sensor.rejection_db = 60;
  flies.sensor.rejection_corner = 17.5e6 / 19;
  CHECK(says(p, "common_mode.suspected").empty());
  flies.sensor.rejection_corner = 17.5e6 / 21;
  CHECK_THAT(says(p, "common_mode.suspected"), Contains("v_ds will pick up 2.1 % of its swing from the 48 V that both its pins move by in 20 ns."));
  // The input's own filter is what is taken out, where that is what slows.
  p = plan();
  p.edge = 5e-9;
  p.hookup.chains[0].input.bandwidth_limit = true;
  CHECK(found(p, "bandwidth.limits_edge").remedy == "Take the input's filter out.");
  CHECK(found(p, "bandwidth.limits_edge").edits == study::Edits{{"hookup.v_ds.filter", "off"}});
  p.hookup.chains[0].input.bandwidth_limit = false;
  CHECK(says(p, "bandwidth.limits_edge").empty());
  // A sensor that does not bear half again of the bus.
  p = plan();
  p.hookup.chains[0].input.sensor.rating = 73;
  CHECK(says(p, "rating.near").empty());
  p.hookup.chains[0].input.sensor.rating = 71;
  CHECK(says(p, "rating.near") == "v_ds must bear 72.0 V; " + p.hookup.chains[0].input.sensor.name + " bears 71 V.");
  p = plan();
  p.hookup.chains[1].input.sensor.rating = 34;
  CHECK(says(p, "rating.near").empty());
  p.hookup.chains[1].input.sensor.rating = 33;
  CHECK_THAT(says(p, "rating.near"), Contains("i_d must bear 33.0 A;"));
  p = plan();
  p.hookup.chains.push_back(chain("v_gs", "gate", clean("Probe x10"), 2));
  p.hookup.chains[2].input.sensor.rating = 15.7;
  CHECK(says(p, "rating.near").empty());
  p.hookup.chains[2].input.sensor.rating = 15.5;
  CHECK_THAT(says(p, "rating.near"), Contains("v_gs must bear 15.6 V;"));
  // The other device's gate is one too; a small rating counts.
  p.hookup.chains[2].input.pin = "upper gate";
  CHECK_THAT(says(p, "rating.near"), Contains("v_gs must bear 15.6 V;"));
  p = plan();
  p.buses = {0.8};
  p.hookup.chains[0].input.sensor.rating = 0.9;
  CHECK_THAT(says(p, "rating.near"), Contains("v_ds must bear 1.20 V;"));
  // A shunt in a branch that is no return to ground.
  p = plan();
  p.hookup.chains[1].input.pin = "drain current";
  CHECK(says(p, "shunt.floats") == "The shunt of i_d stands where 48 V moves it; a grounded input shorts that.");
  CHECK(found(p, "shunt.floats").edits == study::Edits{{"hookup.i_d.pin", "return current"}});
  CHECK(says(plan(), "shunt.floats").empty());
}

TEST_CASE("sensors are ranked by factor, edge, common mode and what they load", "[switching][preflight]") {
  const auto sensor = [](const char* name, const std::function<void(bench::Sensor&)>& change) {
    auto out = clean("Probe x10");
    out.name = name;
    out.u_factor = 0.01;
    out.capacitance = 0;
    change(out);
    return out;
  };
  const switching::Demand demand{.peak = 50, .edge = 20e-9, .common = 0, .swing = 50};
  const auto plain = sensor("plain", [](bench::Sensor&) {}), coarse = sensor("coarse", [](bench::Sensor& s) { s.u_factor = 0.02; }), slow = sensor("slow", [](bench::Sensor& s) { s.bandwidth = 50e6; }),
             loads = sensor("loads", [](bench::Sensor& s) { s.capacitance = 100e-12; }), weak = sensor("weak", [](bench::Sensor& s) { s.rating = 49; }), bears = sensor("bears", [](bench::Sensor& s) { s.rating = 50; });
  CHECK(switching::edge_error(plain, demand) == 0);
  CHECK(switching::edge_error(slow, demand) == Approx(std::hypot(1, 7e-9 / 20e-9) - 1));
  const auto order = switching::ranked({&loads, &slow, &coarse, &weak, &bears, &plain}, demand);
  std::vector<std::string> names;
  for (const auto& one : order) names.push_back(one.sensor->name);
  CHECK(names == std::vector<std::string>{"bears", "plain", "coarse", "slow", "loads"});
  CHECK(order[1].error == Approx(0.01));
  CHECK(order[3].error == Approx(std::hypot(0.01, std::hypot(1, 0.35) - 1)));
  CHECK(order[4].error == Approx(std::hypot(0.01, 0.1)));
  CHECK(test::spaced(order[1].why) == "1 %, 0 F");
  CHECK(test::spaced(order[3].why) == "1 %, 50 MHz, 0 F");
  // Where both pins fly, only what stands between them; its rejection falls with the edge's slope beyond a corner.
  const switching::Demand flying{.peak = 10, .edge = 35e-9, .common = 100, .swing = 10};
  const auto differential = sensor("differential", [](bench::Sensor& s) {
    s.kind = bench::SensorKind::differential;
    s.rejection_db = 60;
    s.rejection_corner = 1e6;
    s.common_mode_rating = 100;
  });
  CHECK(switching::common_mode_error(differential, flying) == Approx(100 * 1e-3 * 10 / 10));
  auto steady = differential;
  steady.rejection_corner = 0;
  CHECK(switching::common_mode_error(steady, flying) == Approx(0.01));
  steady.rejection_corner = 20e6;
  CHECK(switching::common_mode_error(steady, flying) == Approx(0.01));
  CHECK(switching::common_mode_error(differential, demand) == 0);
  auto low = differential;
  low.common_mode_rating = 99;
  const auto between = switching::ranked({&plain, &differential, &low}, flying);
  REQUIRE(between.size() == 1);
  CHECK(between[0].sensor->name == "differential");
  CHECK_THAT(test::spaced(between[0].why), Contains("common mode 10 % of the swing"));
  // Small ones count, a sensor without a rejection of its own does not; what isolates says so.
  switching::Demand small{.peak = 0.5, .edge = 35e-9, .common = 0.5, .swing = 0.5};
  auto weak_one = differential;
  weak_one.rejection_db = 0.5;
  weak_one.rejection_corner = 0;
  CHECK(switching::common_mode_error(weak_one, small) == Approx(std::pow(10, -0.5 / 20)));
  weak_one.rejection_db = 0;
  CHECK(switching::common_mode_error(weak_one, small) == 0);
  small.edge = 0.5;
  weak_one.rejection_db = 0.5;
  CHECK(switching::common_mode_error(weak_one, small) == Approx(std::pow(10, -0.5 / 20)));
  CHECK(switching::edge_error(slow, {.peak = 1, .edge = 0.5, .common = 0, .swing = 1}) == Approx(0).margin(1e-9));
  auto bears_less = differential;
  bears_less.common_mode_rating = 0.4;
  CHECK(switching::ranked({&bears_less}, small).empty());
  bears_less.common_mode_rating = 0;
  CHECK(switching::ranked({&bears_less}, small).size() == 1);
  CHECK(switching::ranked({&low}, demand).size() == 1);
  CHECK_THAT(switching::ranked({&differential}, demand).front().why, !Contains("common mode"));
  auto odd = plain;
  odd.u_factor = 0.01049;
  CHECK(test::spaced(switching::ranked({&odd}, demand).front().why) == "1 %, 0 F");
  auto share = differential;
  share.rejection_corner = 0;
  share.rejection_db = 20 * std::log10(1 / 0.001049);
  CHECK_THAT(test::spaced(switching::ranked({&share}, flying).front().why), Contains("common mode 1 % of the swing"));
  for (const auto& [kind, isolates] : {std::pair{bench::SensorKind::isolated, true}, {bench::SensorKind::differential, false}, {bench::SensorKind::clamp, true}, {bench::SensorKind::coil, true}, {bench::SensorKind::transformer, true}, {bench::SensorKind::shunt, false}}) {
    auto one = differential;
    one.kind = kind;
    const auto all = switching::ranked({&one}, {.current = one.senses_current(), .peak = 1, .edge = 35e-9, .common = 0, .swing = 1});
    REQUIRE(all.size() == 1);
    CHECK((all[0].why.find(", isolated") != std::string::npos) == isolates);
  }
  // Of currents what is in the loop counts: ten nanohenries are a per cent.
  auto shunt = clean("Shunt 10 mohm");
  shunt.u_factor = 0;
  shunt.inductance = 20e-9;
  switching::Demand amps{.current = true, .peak = 10, .edge = 20e-9, .common = 0, .swing = 10};
  const auto currents = switching::ranked({&plain, &shunt}, amps);
  REQUIRE(currents.size() == 1);
  CHECK(currents[0].error == Approx(0.02));
  CHECK_THAT(test::spaced(currents[0].why), Contains("20 nH in the loop"));
}

}  // namespace switching_words
