#include <catch2/catch.hpp>
#include <cmath>

#include "study/conversion/preflight.h"
#include "study/conversion/settings.h"
#include "study/conversion/study_plan.h"
#include "study/preflight.h"
#include "words_support.h"

using namespace heron;

/// What each word of a conversion brief takes, refuses and says, what its settings are read from, and what is found
/// beforehand.
namespace conversion_words {
namespace {

namespace conversion = study::conversion;
using Catch::Matchers::Contains;
using conversion::Feeder;
using conversion::Inner;
using conversion::Method;
using conversion::Plan;

study::Surroundings around() {
  study::Surroundings out{.pins = {"battery", "rail", "rail current"}, .terminals = {"battery", "rail"}, .told = {{"temperature", "degC"}, {"clock", "Hz"}, {"set point", "V"}}, .thermometers = {"coil", "switch"}};
  out.limits.highest_sample_rate = 10e6;
  out.limits.ranges = {0.5, 1, 5, 50};
  return out;
}

Plan plan() {
  Plan out{.source_pin = "battery", .load_pin = "rail", .lines = {9, 12}, .loads = {0.1, 1}};
  out.hookup.chains = {{.name = "vout", .input = {.pin = "rail", .range = 1, .sensor = *bench::find_stock_sensor("Probe x10")}, .zero = {}}};
  return out;
}

Plan of(const study::PlanPtr& planned) { return dynamic_cast<const conversion::PlannedConversion&>(*planned).plan(); }
Plan with(const Plan& p, std::string_view key, std::string_view text) { return of(test::with(conversion::PlannedConversion(p), key, text, around())); }
std::string refused(const Plan& p, std::string_view key, std::string_view text, const study::Surroundings& among = around()) { return test::refused(conversion::PlannedConversion(p), key, text, among); }
std::string sentence(const Plan& p) { return test::sentence(conversion::PlannedConversion(p)); }

Plan steps(Method method) {
  auto out = plan();
  out.method = method;
  return out;
}

std::string setting_refused(const char* key, const char* text) {
  conversion::Settings scratch;
  const auto ok = conversion::set(scratch, key, text);
  return ok ? std::string() : test::spaced(ok.error().message);
}
conversion::Settings settings(const study::SettingsText& text) {
  auto out = conversion::settings_from_text(text);
  if (!out) FAIL(out.error().message);
  return *out;
}

}  // namespace

TEST_CASE("numbers of a conversion brief are taken to their ends and refused beyond them", "[conversion][words]") {
  auto record = steps(Method::record);
  record.rate = 1e3;
  record.length = 1;
  auto quick = record;
  quick.rate = 1e8;
  auto stepped = steps(Method::line_steps);
  stepped.rate = 100;
  stepped.length = 1e4;
  stepped.period = 5e3;
  stepped.edge = 1;
  struct Ends {
    Plan from;
    const char *key, *least, *below, *most, *beyond;
  };
  const Ends all[] = {
      {plan(), "lines", "0 V", "-1 V", "80 V", "81 V"},
      {plan(), "loads", "0 A", "-1 A", "1 MA", "1.01 MA"},
      {plan(), "source_limit", "1 mA", "0.9 mA", "30 A", "30.5 A"},
      {plan(), "settle", "0 s", "-1 s", "3600 s", "3600.5 s"},
      {plan(), "warm_up", "0 s", "-1 s", "36000 s", "36000.5 s"},
      {plan(), "rest", "0 s", "-1 s", "3600 s", "3600.5 s"},
      {plan(), "rests_within", "0.1 K", "0.09 K", "100 K", "101 K"},
      {plan(), "readings", "16", "15", "4096", "4097"},
      {record, "length", "64 ms", "63 ms", "10 ks", "10.1 ks"},
      {quick, "length", "1 us", "0.9 us", "100 ms", "1 s"},
      {stepped, "period", "9 s", "8 s", "5 ks", "5.1 ks"},
      {stepped, "edge", "1 ns", "0.9 ns", "600 s", "1.01 ks"},
      {plan(), "agree", "0.001 %", "0 %", "10 %", "10.5 %"},
  };
  for (const auto& e : all) {
    CAPTURE(e.key);
    CHECK(refused(e.from, e.key, e.least) == "");
    CHECK(refused(e.from, e.key, e.most) == "");
    CHECK(refused(e.from, e.key, e.beyond) != "");
    CHECK(refused(e.from, e.key, e.below) != "");
  }
}

TEST_CASE("a plan of conversion that cannot be is refused with what would do", "[conversion][words]") {
  auto p = plan();
  CHECK(refused(p, "lines", "fast") != "");
  CHECK_THAT(refused(p, "load", "battery"), Contains("Source and load are at one pin: the input is fed, the output is loaded."));
  CHECK_THAT(refused(p, "told", "set point"), Contains("set point is neither a frequency nor a temperature: take each of its values as a take of its own."));
  CHECK_THAT(refused(p, "told", "colour"), Contains("The device is not told \"colour\"; there are temperature, clock and set point."));
  auto few = around();
  few.told.resize(1);
  CHECK_THAT(refused(p, "told", "colour", few), Contains("there is temperature."));
  few.told.clear();
  CHECK_THAT(refused(p, "told", "colour", few), Contains("nothing."));
  CHECK_THAT(refused(p, "thermometer", "sea"), Contains("no place \"sea\" whose temperature could be read; there is coil and switch."));
  few.thermometers.clear();
  CHECK_THAT(refused(p, "thermometer", "sea", few), Contains("its circuit names none under temperatures."));
  p.loads.assign(200, 1);
  p.lines.assign(100, 5);
  CHECK(refused(p, "settle", "1 s") == "");
  p.lines.assign(101, 5);
  CHECK_THAT(refused(p, "settle", "1 s"), Contains("20200 points are more than 20000. Take fewer lines or loads."));
  CHECK_THAT(refused(with(plan(), "feeder", "a source-measure channel"), "sensing", "at their own terminals"), Contains("A source-measure channel senses at the device's pins, and the load with it"));
  CHECK_THAT(refused(with(plan(), "sensing", "at their own terminals"), "feeder", "a source-measure channel"), Contains("sense there, or feed by the DC source."));
  // Records.
  auto bare = plan();
  bare.hookup.chains.clear();
  CHECK_THAT(refused(bare, "method", "record"), Contains("A record wants an input that senses vout: connect one on the Hookup page."));
  bare.hookup = plan().hookup;
  bare.hookup.chains[0].name = "v";
  CHECK_THAT(refused(bare, "method", "record"), Contains("No quantity of the hookup is called vout"));
  auto record = steps(Method::record);
  record.rate = 1e6;
  record.length = 16.777216;
  CHECK(refused(record, "settle", "1 s") == "");
  CHECK_THAT(refused(record, "length", "16.7773 s"), Contains("more than 16777216 samples. Sample more slowly, or for a shorter time."));
  record.length = 64e-6;
  CHECK(refused(record, "settle", "1 s") == "");
  CHECK_THAT(refused(record, "length", "63 us"), Contains("has too few samples. Sample faster."));
  // Steps.
  for (const auto method : {Method::line_steps, Method::load_steps}) {
    auto s = steps(method);
    const bool line = method == Method::line_steps;
    CHECK(refused(s, "settle", "1 s") == "");
    CHECK_THAT(refused(s, line ? "lines" : "loads", line ? "9 V" : "1 A"), Contains(line ? "To step the line, two lines are wanted, such as 10 V, 14 V." : "To step the load, two currents are wanted, such as 100 mA, 1 A."));
    CHECK(refused(s, line ? "loads" : "lines", line ? "1 A" : "9 V") == "");
    s.period = 8e-3;
    s.length = 16e-3;
    CHECK(refused(s, "edge", "0.99 ms") == "");
    CHECK_THAT(refused(s, "edge", "1 ms"), Contains("Edges of 1 ms leave nothing of a period of 8 ms to settle in."));
    CHECK_THAT(refused(s, "length", "15.9 ms"), Contains("A record of 15.9 ms holds fewer than two periods of 8 ms."));
    CHECK((refused(s, "mode", "resistance") == "") == line);
  }
  auto rest = steps(Method::record);
  rest.period = rest.edge = 1;
  CHECK(refused(rest, "settle", "1 s") == "");
  CHECK_THAT(refused(steps(Method::load_steps), "mode", "power"), Contains("The load steps between currents, not resistances or powers."));
  auto ohms = with(plan(), "mode", "resistance");
  CHECK(refused(ohms, "loads", "0.5 ohm, 10 ohm") == "");
  CHECK_THAT(refused(ohms, "loads", "10 ohm, 0 ohm"), Contains("A resistance is above zero."));
  CHECK(refused(plan(), "loads", "1 A, 0 A") == "");
}

TEST_CASE("words of conversion that choose bring what goes with them", "[conversion][words]") {
  CHECK(with(plan(), "mode", "a constant power").loads == std::vector<double>{0.5});
  CHECK(with(plan(), "mode", "a constant resistance").loads == std::vector<double>{100});
  CHECK(with(with(plan(), "mode", "power"), "mode", "current").loads == std::vector<double>{0.1});
  CHECK(with(plan(), "mode", "current").loads == std::vector<double>{0.1, 1});
  const auto warm = with(plan(), "told", "temperature");
  CHECK(warm.told_unit == "degC");
  CHECK(warm.told_values == std::vector<double>{25, 60});
  const auto fast = with(warm, "told", "clock");
  CHECK(fast.told_unit == "Hz");
  CHECK(fast.told_values == std::vector<double>{400e3});
  auto chosen = with(fast, "told_values", "250 kHz, 500 kHz");
  CHECK(with(warm, "told_values", "-40 degC, 85 degC").told_values == std::vector<double>{-40, 85});
  CHECK(refused(warm, "told_values", "-273 degC") == "");
  CHECK(refused(warm, "told_values", "-274 degC") != "");
  CHECK_THAT(refused(fast, "told_values", "0 Hz, 1 kHz"), Contains("A frequency is above zero."));
  CHECK(refused(fast, "told_values", "0.1 Hz") == "");
  CHECK(with(chosen, "told", "clock").told_values.size() == 2);
  for (const char* word : {"nothing", "nothing besides", " none "}) {
    const auto none = with(chosen, "told", word);
    CHECK(none.told.empty());
    CHECK(none.told_values.empty());
    CHECK(none.all_steps().size() == 4);
  }
  CHECK(chosen.all_steps().size() == 8);
  CHECK(with(plan(), "thermometer", " coil ").thermometer == "coil");
  for (const char* word : {"nothing", "none", "no temperature is waited for"}) CHECK(with(with(plan(), "thermometer", "coil"), "thermometer", word).thermometer.empty());
  CHECK(test::hint_of(conversion::PlannedConversion(plan()), "thermometer", around()).choices == std::vector<std::string>{"no temperature is waited for", "coil", "switch"});
  CHECK(test::hint_of(conversion::PlannedConversion(plan()), "told", around()).choices == std::vector<std::string>{"nothing besides", "temperature", "clock", "set point"});
  CHECK(with(plan(), "agree", "0.02 %").agree == Approx(2e-4));
  CHECK(with(plan(), "agree", "until two readings agree within 1 %").agree == Approx(0.01));
  for (const char* word : {"once", "none"}) CHECK(with(with(plan(), "agree", "1 %"), "agree", word).agree == 0);
  CHECK_THAT(refused(plan(), "agree", "11 %"), Contains("11 % lies not above 0 and up to 10 %"));
  CHECK(test::text_of(conversion::PlannedConversion(with(plan(), "agree", "0.02 %")), "agree") == "until two readings agree within 0.02 %");
  CHECK(test::text_of(conversion::PlannedConversion(plan()), "agree") == "once");
  CHECK_THAT(test::hint_of(conversion::PlannedConversion(plan()), "agree", around()).forms, Contains("at most 10 readings"));
  CHECK(with(plan(), "feeder", "a source-measure channel").feeder == Feeder::source_measure);
}

TEST_CASE("a conversion brief says what feeds, loads and is read", "[conversion][words]") {
  auto p = plan();
  CHECK_THAT(sentence(p), Contains("battery by the DC source with 9 V, 12 V , up to 1 A ."));
  CHECK_THAT(sentence(p), Contains("rail with a constant current of 100 mA, 1 A ."));
  CHECK_THAT(sentence(p), Contains("It is told nothing besides ."));
  CHECK_THAT(sentence(p), Contains("Source and load hold their voltages at the device's pins ."));
  CHECK_THAT(sentence(p), Contains("each point settled : 20 ms , then 256 readings , once ; the load goes first."));
  CHECK_THAT(sentence(p), Contains("no temperature is waited for ;"));
  CHECK_THAT(sentence(p), Contains("0 s of warm-up, 0 s of rest between points; sampled at 100 kHz ; a watch that trips is noted ;"));
  p.thermometer = "coil";
  CHECK_THAT(sentence(p), Contains("A point waits until coil moves by less than 0.5 K in a minute."));
  p.told = "clock";
  p.told_unit = "Hz";
  p.told_values = {250e3, 500e3};
  CHECK_THAT(sentence(p), Contains("clock at 250 kHz, 500 kHz , set by the bench ."));
  p.hookup.chains.clear();
  p.sensed = false;
  CHECK_THAT(sentence(p), Contains("by the source's and the load's own readings, voltages at their own terminals ."));
  p = steps(Method::line_steps);
  CHECK_THAT(sentence(p), Contains("battery by the DC source between the first and the last of 9 V, 12 V , 2 ms a period with edges of 20 µs , up to 1 A ."));
  CHECK_THAT(sentence(p), Contains("rail with a constant current of 100 mA, 1 A ."));
  CHECK_THAT(sentence(p), Contains("by steps of the line , 10 ms at 100 kHz , 20 ms after it was switched on."));
  CHECK_THAT(sentence(p), !Contains("warm-up"));
  p = steps(Method::load_steps);
  CHECK_THAT(sentence(p), Contains("rail with a constant current between the first and the last of 100 mA, 1 A , 2 ms a period with edges of 20 µs ."));
  CHECK_THAT(sentence(p), Contains("battery by the DC source with 9 V, 12 V , up to 1 A ."));
  p = with(plan(), "mode", "resistance");
  CHECK_THAT(sentence(p), Contains("a constant resistance of 100 Ω ."));
  CHECK_THAT(sentence(with(plan(), "mode", "power")), Contains("a constant power of 500 mW ."));
}

TEST_CASE("how long a plan of conversion takes is said", "[conversion][words]") {
  bench::Limits limits;
  limits.reading_time = 0.05;
  limits.overhead_per_point = 0.5;
  limits.thermometer_time = 0.1;
  const auto lasts = [&](const Plan& p) { return test::spaced(conversion::PlannedConversion(p).time_sentence(limits)); };
  auto p = plan();
  p.settle_time = 1;
  p.rest = 0.25;
  p.warm_up = 10;
  p.readings = 1000;
  p.rate = 1e4;
  // 10 s, and four times 1 + 0.25 + 0.1 + 0.1 + 0.5.
  CHECK(p.seconds(limits) == Approx(10 + 4 * 1.95));
  CHECK(lasts(p) == "4 points, 18 s on a real bench.");
  p.thermometer = "coil";
  CHECK(p.seconds(limits) == Approx(10 + 4 * (1.95 + 30 + 0.4)));
  p.thermometer.clear();
  p.lines = {9};
  p.loads = {1};
  p.warm_up = 0;
  CHECK_THAT(lasts(p), Contains("1 point, 1.9 s on a real bench."));
  p = steps(Method::load_steps);
  p.length = 2;
  CHECK(p.seconds(limits) == Approx(20e-3 + 2 + 0.5));
  CHECK_THAT(lasts(p), Contains("One record of 200000 samples, 2.5 s on a real bench."));
  p.told = "clock";
  p.told_unit = "Hz";
  p.told_values = {1, 2};
  CHECK_THAT(lasts(p), Contains("2 records of 200000 samples, 5.0 s on a real bench."));
  CHECK(conversion::PlannedConversion(p).points(limits) == 2);
  CHECK(conversion::PlannedConversion(p).seconds(limits) == Approx(p.seconds(limits)));
}

TEST_CASE("points go along the inner loop first, by each value that is told", "[conversion][words]") {
  auto p = plan();
  const auto order = [](const Plan& of) {
    std::vector<std::pair<double, double>> out;
    for (const auto& s : of.all_steps()) out.emplace_back(s.line, s.load);
    return out;
  };
  using Order = std::vector<std::pair<double, double>>;
  CHECK(order(p) == Order{{9, 0.1}, {9, 1}, {12, 0.1}, {12, 1}});
  p.inner = Inner::line;
  CHECK(order(p) == Order{{9, 0.1}, {12, 0.1}, {9, 1}, {12, 1}});
  CHECK(conversion::PlannedConversion(p).leads()[0].along);
  CHECK_FALSE(conversion::PlannedConversion(p).leads()[1].along);
  p.inner = Inner::load;
  const auto leads = conversion::PlannedConversion(p).leads();
  REQUIRE(leads.size() == 2);
  CHECK(leads[0].pin == "battery");
  CHECK(leads[0].name == "DC source");
  CHECK_FALSE(leads[0].along);
  CHECK(leads[0].about == "senses at the device's pins");
  CHECK(leads[1].pin == "rail");
  CHECK(leads[1].along);
  p.feeder = Feeder::source_measure;
  CHECK(conversion::PlannedConversion(p).leads()[0].name == "source-measure channel 1");
  p.feeder = Feeder::supply;
  p.sensed = false;
  CHECK(conversion::PlannedConversion(p).leads()[1].about == "senses at its own terminals, before its leads");
  const auto back = conversion::planned(conversion::to_json(p));
  REQUIRE(back);
  CHECK(conversion::to_json(of(*back)) == conversion::to_json(p));
  CHECK_FALSE(conversion::planned({{"feeder", "the sun"}}));
}

TEST_CASE("what a doubt of conversion is mended by is said by the plan", "[conversion][words]") {
  auto p = plan();
  const auto edits = [&](study::Mend mend) { return conversion::PlannedConversion(p).remedy(study::mended_by(mend, {})).edits; };
  const auto text = [&](study::Mend mend) {
    const auto all = edits(mend);
    return all.empty() ? std::string() : all.front().first + " " + test::spaced(all.front().second);
  };
  CHECK(text(study::Mend::settle) == "settle 80 ms");
  p.settle_time = 0.1e-3;
  CHECK(text(study::Mend::settle) == "settle 1 ms");
  CHECK(text(study::Mend::warm_up) == "warm_up 60 s");
  p.warm_up = 40;
  CHECK(text(study::Mend::warm_up) == "warm_up 80 s");
  CHECK(text(study::Mend::raise_source_limit) == "source_limit 2 A");
  p.source_limit = 20;
  CHECK(text(study::Mend::raise_source_limit) == "source_limit 30 A");
  CHECK(text(study::Mend::average) == "readings 1024");
  p.readings = 2000;
  CHECK(text(study::Mend::average) == "readings 4096");
  p.readings = 4096;
  CHECK(edits(study::Mend::average).empty());
  CHECK(edits(study::Mend::add_points).empty());
  p = steps(Method::record);
  CHECK(edits(study::Mend::settle).empty());
  CHECK(edits(study::Mend::average).empty());
  CHECK(text(study::Mend::warm_up) == "warm_up 60 s");
  // What it begins with is gentle.
  const auto first = conversion::first_plan(around());
  REQUIRE(first);
  CHECK(of(*first).source_pin == "battery");
  CHECK(of(*first).load_pin == "rail");
  CHECK(of(*first).loads == std::vector<double>{0.01, 0.02, 0.05, 0.1});
  auto one = around();
  one.terminals = {"battery"};
  REQUIRE_FALSE(conversion::first_plan(one));
  CHECK(conversion::first_plan(one).error().fault == Fault::usage);
  CHECK_FALSE(conversion::PlannedConversion(plan()).with("colour", "red", around()));
}

TEST_CASE("settings of conversion are read as they are typed and come back the same", "[conversion][settings]") {
  const auto s = settings({{"line", "12 V"}, {"frequency", "400 kHz"}, {"temperature", "60 degC"}, {"line_from", "5 V"}, {"line_to", "15 V"}, {"load_from", "1 mA"}, {"load_to", "3 A"}, {"nominal", "5 V"}, {"tolerance", "2 %"},
                           {"dropout_fraction", "3 %"}, {"settled_share", "0.25"}, {"settle_band", "2 %"}, {"switching", "500 kHz"}, {"from", "1 ms"}, {"to", "2 ms"}, {"start", "-1 s"}, {"step", "1 us"}, {"u_limit", "5 %"},
                           {"expected", "10 mA 60 %, 1 A 95 %"}, {"shunt.iin", "10 mohm, -50 ppm/K, 0 K/W"}, {"watch.rail", "vout under 4.6 V"}});
  CHECK(s.line == 12);
  CHECK(s.frequency == 400e3);
  CHECK(s.temperature == 60);
  CHECK(s.line_from == 5);
  CHECK(s.line_to == 15);
  CHECK(*s.load_from == Approx(1e-3));
  CHECK(s.load_to == 3);
  CHECK(s.nominal == 5);
  CHECK(*s.tolerance == Approx(0.02));
  CHECK(s.dropout_fraction == Approx(0.03));
  CHECK(s.settled_share == Approx(0.25));
  CHECK(s.settle_band == Approx(0.02));
  CHECK(s.switching == 500e3);
  CHECK(*s.from == Approx(1e-3));
  CHECK(*s.to == Approx(2e-3));
  CHECK(s.start == -1);
  CHECK(*s.step == Approx(1e-6));
  CHECK(s.u_limit == Approx(0.05));
  REQUIRE(s.expected.size() == 2);
  const auto& shunt = s.shunts.at("iin");
  CHECK(shunt.ohms == Approx(0.01));
  CHECK(shunt.temperature_coefficient == Approx(-50e-6));
  CHECK(shunt.thermal_resistance == 0);
  CHECK(conversion::as_text(settings(conversion::as_text(s))) == conversion::as_text(s));
  CHECK(settings(conversion::as_text(s)).shunts == s.shunts);
  CHECK(*settings(conversion::as_text(s)).tolerance == Approx(0.02));
  for (const char* key : {"tolerance", "shunt.iin", "watch.rail", "expected"}) {
    CAPTURE(key);
    auto taken = s;
    REQUIRE(conversion::set(taken, key, "none"));
    CHECK_FALSE(conversion::as_text(taken).contains(key));
  }
}

TEST_CASE("settings of conversion that make no sense are refused with what would", "[conversion][settings][bad]") {
  for (const char* bad : {"10 mohm", "10 mohm, 50 ppm/K", "10 mohm, 50, 25 K/W", "10 mohm, 50 ppm/K, 25", "0 ohm, 50 ppm/K, 25 K/W", "-1 ohm, 50 ppm/K, 25 K/W", "1 ohm, fast ppm/K, 25 K/W", "1 ohm, 50 ppm/K, slow K/W",
                          "1 ohm, 50 ppm/K, -1 K/W", "warm, 50 ppm/K, 1 K/W", "1 ohm, 1 ppm/K, 1 K/W, 1 s"}) {
    CAPTURE(bad);
    CHECK(setting_refused("shunt.iin", bad) == "shunt.iin: a resistance, its ppm/K and its K/W are wanted, such as 10 mohm, 50 ppm/K, 25 K/W.");
  }
  CHECK(setting_refused("shunt.iin", "1 ohm, 0 ppm/K, 0.5 K/W") == "");
  CHECK(setting_refused("settled_share", "1") == "");
  CHECK_THAT(setting_refused("settled_share", "1.01"), Contains("settled_share: more than 0 and not more than 1 is wanted, not 1.01."));
  CHECK(setting_refused("settled_share", "0") != "");
  CHECK(setting_refused("tolerance", "0 %") != "");
  for (const char* key : {"dropout_fraction", "settle_band", "u_limit"}) {
    CAPTURE(key);
    CHECK(setting_refused(key, "99.9 %") == "");
    CHECK(setting_refused(key, "100.5 %") != "");
    CHECK(setting_refused(key, "0.1 %") == "");
    CHECK(setting_refused(key, "0 %") != "");
  }
  for (const auto& [key, bad] : {std::pair{"frequency", "0 Hz"}, {"switching", "-1 Hz"}, {"step", "0 s"}, {"sample_rate", "0 Hz"}, {"nominal", "5 A"}, {"speed", "1"}}) {
    CAPTURE(key);
    CHECK(setting_refused(key, bad) != "");
  }
  const auto both = conversion::settings_from_text({{"step", "1 s"}, {"sample_rate", "1 Hz"}});
  REQUIRE_FALSE(both);
  CHECK_THAT(both.error().message, Contains("either the step or the sample_rate"));
  CHECK(conversion::settings_from_text({{"from", "1 s"}, {"to", "1.001 s"}}));
  CHECK(conversion::settings_from_text({{"from", "1 s"}}));
  CHECK(conversion::settings_from_text({{"to", "-1 s"}}));
  CHECK(conversion::settings_from_text({{"sample_rate", "1 Hz"}}));
  for (const char* to : {"1 s", "0.5 s"}) CHECK_FALSE(conversion::settings_from_text({{"from", "1 s"}, {"to", to}}));
}

TEST_CASE("preflight of conversion finds each trouble just beyond its limit and not just within", "[conversion][preflight]") {
  auto among = around();
  among.limits.supply_voltage = 80;
  among.limits.supply_current = 30;
  among.limits.source_measure_voltage = 20;
  among.limits.source_measure_current = 3;
  among.limits.load_current = 30;
  among.limits.lead_resistance = 0.02;
  among.settings = {{"nominal", "5 V"}};
  auto p = plan();
  p.hookup.chains.clear();
  p.lines = {10, 12};
  p.loads = {0.1, 1};
  p.source_limit = 3;
  const auto of = [&](const Plan& plan) { return conversion::preflight(plan, among, conversion::predict(plan, among)); };
  const auto says = [&](const Plan& plan, std::string_view key) {
    for (const auto& d : of(plan))
      if (d.key == key) return test::spaced(d.text);
    return std::string();
  };
  const auto edit = [&](const Plan& plan, std::string_view key) {
    for (const auto& d : of(plan))
      if (d.key == key && !d.edits.empty()) return d.edits.front().first + " " + test::spaced(d.edits.front().second);
    return std::string();
  };
  const auto refusal = [&](const Plan& plan) { return bool(study::refusal(of(plan))); };
  CHECK(of(p).empty());
  // Ratings: from nine tenths on, refused beyond.
  among.ratings["battery"].voltage = 13.4;
  CHECK(says(p, "rating.near").empty());
  among.ratings["battery"].voltage = 13.3;
  CHECK(says(p, "rating.near") == "battery would see 12 V; its rating is 13.3 V.");
  CHECK_FALSE(refusal(p));
  among.ratings["battery"].voltage = 12;
  CHECK_FALSE(refusal(p));
  among.ratings["battery"].voltage = 11.99;
  CHECK(refusal(p));
  among.ratings.clear();
  among.ratings["rail"].current = 1.2;
  CHECK(says(p, "rating.near").empty());
  among.ratings["rail"].current = 1.1;
  CHECK(says(p, "rating.near") == "rail would give 1.00 A; its rating is 1.1 A.");
  CHECK_FALSE(refusal(p));
  among.ratings["rail"].current = 1;
  CHECK_FALSE(refusal(p));
  among.ratings["rail"].current = 0.99;
  CHECK(refusal(p));
  among.ratings.clear();
  // By resistance the smallest draws most, by power the largest.
  auto ohms = p;
  ohms.mode = bench::LoadMode::resistance;
  ohms.loads = {2, 10};
  among.ratings["rail"].current = 2.4;
  CHECK(says(ohms, "rating.near") == "rail would give 2.50 A; its rating is 2.4 A.");
  ohms.loads = {5, 10};
  CHECK(says(ohms, "rating.near").empty());
  auto watts = p;
  watts.mode = bench::LoadMode::power;
  watts.loads = {1, 12.5};
  CHECK(says(watts, "rating.near") == "rail would give 2.50 A; its rating is 2.4 A.");
  among.settings.clear();
  CHECK(says(ohms, "rating.near").empty());
  ohms.loads = {0.1};
  CHECK(says(ohms, "rating.near").empty());
  among.settings = {{"nominal", "-5 V"}};
  CHECK(says(ohms, "rating.near").empty());
  among.settings = {{"nominal", "5 V"}};
  among.ratings.clear();
  // What the bench reaches.
  auto high = p;
  high.lines = {80, 1};
  CHECK(says(high, "source.limit").find("reaches") == std::string::npos);
  high.lines = {80.1, 60};
  CHECK(says(high, "source.limit") == "The DC source reaches 80 V.");
  high = p;
  high.source_limit = 31;
  CHECK(says(high, "source.limit") == "The DC source gives 30 A at most.");
  CHECK(edit(high, "source.limit") == "source_limit 30 A");
  high.feeder = Feeder::source_measure;
  CHECK(says(high, "source.limit") == "The source-measure channel gives 3 A at most.");
  high.source_limit = 3;
  high.lines = {20.1};
  CHECK(says(high, "source.limit") == "The source-measure channel reaches 20 V.");
  high.lines = {20};
  CHECK(says(high, "source.limit").empty());
  auto much = p;
  much.source_limit = 30;
  much.loads = {30};
  CHECK(says(much, "compliance.reached").empty());
  much.loads = {30.1};
  CHECK(says(much, "compliance.reached") == "The load takes 30 A at most; 30.1 A is asked.");
  // A guess of what flows in: 1 A times 5 V over 0.8 times 10 V, 0.625 A.
  auto weak = p;
  weak.source_limit = 0.63;
  CHECK(says(weak, "source.limit").empty());
  weak.source_limit = 0.62;
  CHECK(says(weak, "source.limit") == "At 10 V and 1 A about 625 mA would flow in; the source folds back at 620 mA.");
  CHECK(edit(weak, "source.limit") == "source_limit 810 mA");
  weak.mode = bench::LoadMode::resistance;
  weak.loads = {5, 10};
  CHECK_THAT(says(weak, "source.limit"), Contains("At 10 V and 5 Ω about"));
  weak.mode = bench::LoadMode::power;
  weak.loads = {1, 5};
  CHECK_THAT(says(weak, "source.limit"), Contains("At 10 V and 5 W about"));
  weak.lines = {0, 0};
  CHECK(says(weak, "source.limit").empty());
  // A constant power swings with a source that folds: from seven tenths of the limit on.
  watts.loads = {4};
  watts.source_limit = 0.72;
  CHECK(says(watts, "source.oscillates").empty());
  watts.source_limit = 0.71;
  CHECK_FALSE(says(watts, "source.oscillates").empty());
  CHECK(edit(watts, "source.oscillates") == "mode a constant current");
  auto amperes = watts;
  amperes.mode = bench::LoadMode::current;
  amperes.loads = {0.8};
  CHECK(says(amperes, "source.oscillates").empty());
  // Leads.
  auto local = p;
  local.sensed = false;
  CHECK(says(local, "leads.drop") == "Sensed at their terminals: leads of 20 mΩ drop 20 mV at 1.00 A.");
  local.loads = {0};
  CHECK(says(local, "leads.drop").empty());
  local.loads = {0.5};
  CHECK_FALSE(says(local, "leads.drop").empty());
  among.limits.lead_resistance = 0;
  CHECK(says(local, "leads.drop").empty());
  // A long sweep.
  auto slow = p;
  slow.settle_time = 149;
  CHECK(says(slow, "sweep.long").empty());
  slow.settle_time = 151;
  CHECK_THAT(says(slow, "sweep.long"), Contains("It takes 10 min"));
  // Pins.
  auto lost = p;
  lost.load_pin = "nowhere";
  CHECK(says(lost, "input.missing") == "The device has no pin \"nowhere\".");
  CHECK(refusal(lost));
  lost.load_pin.clear();
  CHECK(says(lost, "input.missing") == "A pin is not said.");
}

TEST_CASE("levels of conversion are foreseen where they are set or nominal", "[conversion][preflight]") {
  auto among = around();
  auto p = plan();
  p.lines = {12, 9};
  p.loads = {0.5, 2, 1};
  const auto chain = [](const char* name, const char* pin, const char* sensor) { return bench::Chain{.name = name, .input = {.pin = pin, .range = 1, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}}; };
  p.hookup.chains = {chain("vin", "battery", "Probe x10"), chain("vout", "rail", "Probe x10"), chain("iout", "rail current", "Clamp 40 A"), chain("iin", "battery current", "Clamp 40 A")};
  auto levels = conversion::predict(p, among);
  CHECK(levels.pins.at("battery").dc == 12);
  CHECK_FALSE(levels.pins.contains("rail"));
  CHECK(levels.quantities.at("vin").dc == 12);
  CHECK_FALSE(levels.quantities.contains("vout"));
  CHECK(levels.quantities.at("iout").dc == 2);
  CHECK_FALSE(levels.quantities.contains("iin"));
  among.settings = {{"nominal", "5 V"}};
  p.hookup.chains[0].input.against = "rail";
  p.hookup.chains[1].input.coupling = bench::Coupling::ac;
  levels = conversion::predict(p, among);
  CHECK(levels.pins.at("rail").dc == 5);
  CHECK_FALSE(levels.quantities.contains("vin"));
  CHECK_FALSE(levels.quantities.contains("vout"));
  p.mode = bench::LoadMode::resistance;
  among.settings.clear();
  CHECK_FALSE(conversion::predict(p, among).quantities.contains("iout"));
}

}  // namespace conversion_words
