#include <catch2/catch.hpp>
#include <cmath>

#include "study/kind.h"
#include "study/waveform/points.h"
#include "study/waveform/words.h"
#include "support.h"

using namespace heron;
namespace waveform = heron::study::waveform;

/// What each word of a capture's brief takes, refuses and shows beside itself.
namespace capture_words {
namespace {

using waveform::Drive;
using waveform::Plan;
using waveform::Shape;
using waveform::When;

study::Surroundings around(double fastest = 100e6) {
  study::Surroundings out{.pins = {"in", "out", "rail"}, .terminals = {"in", "out"}, .contacts = {"K1", "K2"}};
  out.limits.highest_sample_rate = fastest;
  return out;
}

Plan plan() {
  Plan out{.drive_pin = "in", .contact = "K1", .hookup = {}};
  for (const char* name : {"v_in", "v_out"}) out.hookup.chains.push_back({.name = name, .input = {.pin = "out", .sensor = bench::stock_sensors().front()}});
  out.quantity = "v_in";
  return out;
}

struct Outcome {
  bool taken = false;
  Plan plan;
  std::string trouble;
};
Outcome set(Plan from, const char* key, const std::string& text, const study::Surroundings& with = around()) {
  auto changed = waveform::apply(from, key, text, with);
  if (!changed) return {false, from, test::spaced(changed.error().message)};
  return {true, *changed, ""};
}

std::string text_of(const Plan& p, const std::string& key) {
  for (const auto& piece : waveform::brief(p))
    if (piece.key == key) return test::spaced(piece.text);
  return "not shown";
}

std::string sentence(const Plan& p) {
  std::string out;
  for (const auto& piece : waveform::brief(p)) out += (out.empty() ? "" : " ") + piece.text;
  return test::spaced(out);
}

study::BriefHint hint(const Plan& p, const char* key, const study::Surroundings& with) {
  auto out = waveform::hint(p, key, with);
  out.forms = test::spaced(out.forms);
  out.allowed = test::spaced(out.allowed);
  return out;
}

std::string lasts(const Plan& p) { return test::spaced(waveform::time_sentence(p, {})); }

}  // namespace

TEST_CASE("numbers of a capture are taken to their ends and refused beyond them", "[waveform][words]") {
  auto wide = plan();
  wide.low = -20;
  wide.high = 20;
  auto surge = plan();
  surge.drive = Drive::surge;
  auto supply = plan();
  supply.drive = Drive::supply;
  auto slow = plan();
  slow.rate = 0.02;
  slow.length = 1e4;
  slow.shape = Shape::step;
  auto long_edge = slow;
  long_edge.period = 1e4;
  auto waiting = plan();
  waiting.when = When::edge;
  // By points neither end is held against the other, nor the edges against the period.
  auto points = plan();
  points.shape = Shape::points;
  auto fast = points;
  fast.rate = 1e10;
  fast.length = 1e-6;
  auto slowest = points;
  slowest.rate = 0.01;
  slowest.length = 1e5;
  struct Ends {
    Plan from;
    const char *key, *least, *below, *most, *beyond;
  };
  const Ends all[] = {
      {wide, "low", "-20 V", "-20.1 V", "19.9 V", "20.1 V"},
      {wide, "high", "-19.9 V", "-20.1 V", "20 V", "20.1 V"},
      {points, "low", "-20 V", "-20.1 V", "20 V", "20.1 V"},
      {points, "high", "-20 V", "-20.1 V", "20 V", "20.1 V"},
      {points, "period", "10 ns", "9.9 ns", "10 ks", "10.1 ks"},
      {points, "width", "10 ns", "9.9 ns", "10 ks", "10.1 ks"},
      {points, "feed_voltage", "0 V", "-0.1 V", "80 V", "80.1 V"},
      {points, "feed_limit", "1 mA", "0.99 mA", "30 A", "30.1 A"},
      {points, "feed_time", "0 s", "-0.1 s", "3600 s", "3601 s"},
      {wide, "source", "1 ohm", "0.9 ohm", "10 kohm", "10.1 kohm"},
      {long_edge, "edge", "1 ns", "0.9 ns", "1 ks", "1.1 ks"},
      {plan(), "cycles", "1", "0", "100000", "100001"},
      {supply, "supply_voltage", "0 V", "-0.1 V", "80 V", "80.1 V"},
      {supply, "supply_limit", "1 mA", "0.9 mA", "30 A", "30.1 A"},
      {surge, "surge_peak", "-600 V", "-601 V", "600 V", "601 V"},
      {surge, "surge_resistance", "1 ohm", "0.9 ohm", "10 kohm", "11 kohm"},
      {surge, "surge_front", "100 ns", "99 ns", "1.2 us", "1.1 ms"},
      {surge, "surge_tail", "20 us", "0.9 us", "10 ms", "10.1 ms"},
      {waiting, "pulse_width", "1 ns", "0.9 ns", "10 ks", "10.1 ks"},
      {waiting, "hold_off", "0 s", "-1 s", "10 ks", "10.1 ks"},
      {waiting, "patience", "1 us", "0.9 us", "100 ks", "101 ks"},
      {plan(), "passes", "1", "0", "10000", "10001"},
      {plan(), "before", "0 %", "-1 %", "95 %", "96 %"},
      {plan(), "feed_time", "0 s", "-1 s", "1 s", "1 Ms"},
  };
  for (const auto& e : all) {
    INFO(e.key);
    CHECK(set(e.from, e.key, e.least).trouble == "");
    CHECK(set(e.from, e.key, e.most).trouble == "");
    CHECK_FALSE(set(e.from, e.key, e.below).taken);
    CHECK_FALSE(set(e.from, e.key, e.beyond).taken);
  }
  // Rates and lengths have ends of their own beside what a record may hold.
  CHECK(set(fast, "rate", "10 GHz", around(0)).trouble == "");
  CHECK_FALSE(set(fast, "rate", "10.1 GHz", around(0)).taken);
  CHECK(set(slowest, "rate", "10 mHz").trouble == "");
  CHECK_FALSE(set(slowest, "rate", "9.9 mHz").taken);
  CHECK(set(fast, "length", "10 ns").trouble == "");
  CHECK_FALSE(set(fast, "length", "9.9 ns").taken);
  CHECK(set(slowest, "length", "100 ks").trouble == "");
  CHECK_FALSE(set(slowest, "length", "101 ks").taken);
  CHECK_THAT(set(slowest, "rate", "600 mHz", around(0.5)).trouble, Catch::Matchers::Contains("500 mHz at most"));
  CHECK_THAT(set(slowest, "samples", "60000", around(0.5)).trouble, Catch::Matchers::Contains("faster than the inputs' 500 mHz"));
  CHECK(set(plan(), "width", "10 ns").taken == false);  // shorter than its edges
  auto stairs = plan();
  stairs.shape = Shape::staircase;
  CHECK(set(stairs, "steps", "2").taken);
  CHECK(set(stairs, "steps", "1000").taken);
  CHECK_FALSE(set(stairs, "steps", "1").taken);
  CHECK_FALSE(set(stairs, "steps", "1001").taken);
}

TEST_CASE("the length is a time or so many periods, and tells both", "[waveform][words]") {
  CHECK(set(plan(), "length", "5 ms").plan.length == Approx(5e-3));
  CHECK(set(plan(), "length", "2.5 periods").plan.length == Approx(2.5e-3));
  CHECK(set(plan(), "length", "1 period").plan.length == Approx(1e-3));
  auto step = plan();
  step.shape = Shape::step;
  CHECK_THAT(set(step, "length", "2 periods").trouble, Catch::Matchers::Contains("does not repeat"));
  CHECK_FALSE(set(plan(), "length", "many periods").taken);
  auto p = plan();
  p.length = 2.5e-3;
  CHECK(hint(p, "length", around()).forms == "2500 samples, 2.5 periods of the drive");
  CHECK_THAT(hint(p, "length", around()).allowed, Catch::Matchers::Contains("periods"));
  p.shape = Shape::step;
  CHECK(hint(p, "length", around()).forms == "2500 samples");
  // Sixteen samples are the fewest, 2^26 the most.
  auto few = plan();
  few.rate = 1e4;
  CHECK(set(few, "length", "1.6 ms").taken);
  CHECK_THAT(set(few, "length", "1.5 ms").trouble, Catch::Matchers::Contains("15 samples"));
  few.rate = 1e6;
  CHECK(set(few, "length", "67.108864 s").taken);
  CHECK_FALSE(set(few, "length", "67.108865 s").taken);
}

TEST_CASE("the period is a time or a frequency", "[waveform][words]") {
  auto p = plan();
  p.width = 100e-6;
  CHECK(set(p, "period", "2 kHz").plan.period == Approx(0.5e-3));
  CHECK(set(p, "period", "0.25 ms").plan.period == Approx(0.25e-3));
  CHECK_FALSE(set(p, "period", "0 Hz").taken);
  CHECK_FALSE(set(p, "period", "-2 kHz").taken);
  CHECK(hint(p, "period", around()).forms == "1 kHz");
}

TEST_CASE("samples, rate and length follow each other", "[waveform][words]") {
  const auto p = plan();
  CHECK(set(p, "samples", "4000").plan.rate == Approx(2e6));
  CHECK(set(p, "samples", "4000 samples").plan.rate == Approx(2e6));
  CHECK(set(p, "samples", "16").plan.rate == Approx(8e3));
  CHECK_THAT(set(p, "samples", "15").trouble, Catch::Matchers::Contains("From 16"));
  CHECK_FALSE(set(p, "samples", "67108865").taken);
  // 100 MS/s of 2 ms are 200 000.
  CHECK(set(p, "samples", "200000").taken);
  CHECK_THAT(set(p, "samples", "200001").trouble, Catch::Matchers::Contains("faster than the inputs' 100 MHz"));
  CHECK(set(p, "samples", "200001", around(0)).taken);
  CHECK(set(p, "rate", "100 MHz").taken);
  CHECK_THAT(set(p, "rate", "100.1 MHz").trouble, Catch::Matchers::Contains("100 MHz at most"));
  CHECK(set(p, "rate", "200 MHz", around(0)).taken);
  CHECK(hint(p, "samples", around()).forms == "every 1.00 \u00b5s");
  CHECK(hint(p, "rate", around()).forms == "2000 samples, one every 1.00 \u00b5s");
  CHECK(hint(p, "rate", around()).allowed == "up to 100 MHz");
  CHECK(hint(p, "rate", around(0)).allowed.empty());
  CHECK(hint(p, "rate", around(0.5)).allowed == "up to 500 mHz");
  // Of two digitisers the faster one says how far.
  auto two = around();
  auto quick = two.limits;
  quick.highest_sample_rate = 1e9;
  two.limits.fast = std::make_shared<const bench::Limits>(quick);
  CHECK(set(p, "rate", "1 GHz", two).taken);
  CHECK_FALSE(set(p, "rate", "1.01 GHz", two).taken);
}

TEST_CASE("what is before the trigger is a share or a time", "[waveform][words]") {
  CHECK(set(plan(), "before", "25 %").plan.before == Approx(0.25));
  CHECK(set(plan(), "before", "25").plan.before == Approx(0.25));
  CHECK(set(plan(), "before", "0.5 ms").plan.before == Approx(0.25));
  CHECK_FALSE(set(plan(), "before", "1.95 ms").taken);
  CHECK_FALSE(set(plan(), "before", "2 V").taken);
  CHECK(text_of(plan(), "before") == "10 %");
  CHECK(hint(plan(), "before", around()).forms == "200 \u00b5s");
}

TEST_CASE("contacts and quantities are those that there are", "[waveform][words]") {
  auto p = plan();
  p.drive = Drive::contact;
  CHECK(set(p, "contact", " K2 ").plan.contact == "K2");
  CHECK_THAT(set(p, "contact", "K3").trouble, Catch::Matchers::Contains("K1 and K2"));
  auto none = around();
  none.contacts.clear();
  CHECK_THAT(set(p, "contact", "K1", none).trouble, Catch::Matchers::Contains("has no contact; its circuit"));
  CHECK(hint(p, "contact", around()).choices == std::vector<std::string>{"K1", "K2"});
  p.contact.clear();
  CHECK(text_of(p, "contact") == "no contact");
  p = plan();
  p.when = When::edge;
  CHECK(set(p, "quantity", "v_out").plan.quantity == "v_out");
  CHECK_THAT(set(p, "quantity", "v_cap").trouble, Catch::Matchers::Contains("v_in and v_out"));
  CHECK(hint(p, "quantity", around()).choices == std::vector<std::string>{"v_in", "v_out"});
}

TEST_CASE("a level is in its quantity's unit, a hysteresis above zero or left to the bench", "[waveform][words]") {
  auto p = plan();
  p.when = When::edge;
  CHECK(set(p, "level", "-20 mV").plan.level == Approx(-0.02));
  CHECK_FALSE(set(p, "level", "2 A").taken);
  CHECK(set(p, "hysteresis", "5 mV").plan.hysteresis == Approx(5e-3));
  CHECK_THAT(set(p, "hysteresis", "-5 mV").trouble, Catch::Matchers::Contains("not below zero"));
  p.hysteresis = 5e-3;
  CHECK(text_of(p, "hysteresis") == "5 mV");
  CHECK(set(p, "hysteresis", "automatic").plan.hysteresis == 0);
  CHECK(text_of(set(p, "hysteresis", "automatic").plan, "hysteresis") == "automatic");
  p.hysteresis = 1;
  CHECK(text_of(p, "hysteresis") == "1 V");
  p.level = 0;
  CHECK(text_of(p, "level") == "0 V");
  CHECK_FALSE(set(p, "level", "automatic").taken);
  CHECK(hint(p, "hysteresis", around()).allowed == "automatic, or in V");
  CHECK(hint(p, "level", around()).allowed == "in V");
}

TEST_CASE("the brief says what is driven, when it begins and what is seldom looked at", "[waveform][words]") {
  auto p = plan();
  p.low = 0;
  p.high = 1;
  const auto says = [](const Plan& of, const char* what) {
    INFO(sentence(of));
    return sentence(of).find(what) != std::string::npos;
  };
  CHECK(says(p, "500 \u00b5s wide, every"));
  p.shape = Shape::sine;
  CHECK_FALSE(says(p, "wide"));
  p.shape = Shape::burst;
  CHECK(says(p, "5 periods , each"));
  p.shape = Shape::staircase;
  CHECK(says(p, "8 steps , all of it every"));
  p.shape = Shape::points;
  CHECK(says(p, "with lines through 3 points of"));
  p = plan();
  for (const auto& [drive, words] : {std::pair{Drive::nothing, "the device moves by itself"}, {Drive::supply, "the DC source switched on to 3 V"}, {Drive::surge, "half of it after"}, {Drive::contact, "a person : K1 opens"}}) {
    p.drive = drive;
    CHECK(says(p, words));
  }
  p = plan();
  CHECK_FALSE(says(p, "waiting"));
  p.when = When::edge;
  CHECK(says(p, "v_in rises through 50 mV , waiting 1 s"));
  CHECK(says(p, "must first be automatic away"));
  p.when = When::narrow_pulse;
  CHECK(says(p, "v_in above 50 mV , waiting 1 s"));
  p.when = When::at_once;
  CHECK_FALSE(says(p, "before the trigger"));
  // What is read once is seldom changed; several records, or what trips, are not.
  const auto rare = [](const Plan& of, const char* key) {
    for (const auto& piece : waveform::brief(of))
      if (piece.key == key) return piece.rare;
    FAIL(key);
    return false;
  };
  p = plan();
  CHECK(rare(p, "passes"));
  CHECK(rare(p, "feed"));
  p.passes = 2;
  CHECK_FALSE(rare(p, "passes"));
  p = plan();
  p.keep = waveform::Keep::tripped;
  CHECK_FALSE(rare(p, "keep"));
  CHECK(says(p, "Read up to"));
  p = plan();
  p.repeat = study::Repeat::last;
  CHECK_FALSE(rare(p, "repeat"));
  p.feed_pin = "rail";
  CHECK_FALSE(rare(p, "feed"));
  CHECK(says(p, "Before that the DC source feeds rail"));
}

TEST_CASE("the time a take lasts is told with its feed and its waits", "[waveform][words]") {
  auto p = plan();
  CHECK(lasts(p) == "One record of 2000 samples, 2.0 ms on a real bench.");
  p.passes = 5;
  CHECK(lasts(p) == "5 records of 2000 samples, 10 ms on a real bench.");
  p.feed_pin = "rail";
  p.feed_time = 2;
  p.length = 1;
  p.rate = 2000;
  CHECK(lasts(p) == "5 records of 2000 samples, 15 s on a real bench.");
  p.when = When::edge;
  CHECK_THAT(lasts(p), Catch::Matchers::Contains("beside the wait for the edge"));
  p.when = When::wide_pulse;
  CHECK_THAT(lasts(p), Catch::Matchers::Contains("beside the wait for the pulse"));
}

TEST_CASE("a quantity that was waited for and is gone makes room for the next", "[waveform][words]") {
  auto p = plan();
  p.when = When::edge;
  p.quantity = "v_gone";
  CHECK(set(p, "hold_off", "1 ms").plan.quantity == "v_in");
  p.quantity = "v_out";
  CHECK(set(p, "hold_off", "1 ms").plan.quantity == "v_out");
}

TEST_CASE("what makes no sense together is refused with what does not fit", "[waveform][words]") {
  const auto trouble = [](const Plan& p) {
    const auto ok = waveform::check(p);
    return ok ? std::string() : ok.error().message;
  };
  auto p = plan();
  CHECK(trouble(p).empty());
  // Pulses: as wide as an edge at least, and with room for both edges in the period.
  p.edge = 100e-6;
  p.width = 100e-6;
  CHECK(trouble(p).empty());
  p.width = 99e-6;
  CHECK_THAT(trouble(p), Catch::Matchers::Contains("does not fit a period"));
  p.width = 899e-6;
  CHECK(trouble(p).empty());
  p.width = 901e-6;
  CHECK_THAT(trouble(p), Catch::Matchers::Contains("does not fit a period"));
  // Stairs: both edges in a step of 125 us.
  p = plan();
  p.shape = Shape::staircase;
  p.edge = 62e-6;
  CHECK(trouble(p).empty());
  p.edge = 63e-6;
  CHECK_THAT(trouble(p), Catch::Matchers::Contains("no room for edges"));
  p = plan();
  p.high = p.low;
  CHECK_THAT(trouble(p), Catch::Matchers::Contains("must be above"));
  p = plan();
  p.drive = Drive::surge;
  p.surge_tail = bench::kShortestTail * p.surge_front * 1.01;
  CHECK(trouble(p).empty());
  p.surge_tail = bench::kShortestTail * p.surge_front * 0.99;
  CHECK_THAT(trouble(p), Catch::Matchers::Contains("falls to half in no less"));
  p = plan();
  p.shape = Shape::points;
  for (const auto& bad : {std::vector<std::pair<double, double>>{{0, 0}}, {{0, 0}, {0, 1}}, {{-1e-3, 0}, {0, 1}}, {{0, NAN}, {1, 1}}, {{0, 0}, {INFINITY, 1}}}) {
    p.points = bad;
    CHECK_FALSE(trouble(p).empty());
  }
  p.points = {{0, 0.3}, {1e-3, -2}};
  CHECK(trouble(p).empty());
  p.points.emplace_back(2e-3, 1);
  CHECK(trouble(p).empty());
  CHECK(p.reach() == std::pair(-2.0, 1.0));
  CHECK_THAT(hint(p, "points", around()).forms, Catch::Matchers::Contains("-2 V to 1 V in 2 ms") || Catch::Matchers::Contains("\u22122 V to 1 V in 2 ms"));
  CHECK_FALSE(p.repeats());
}

TEST_CASE("a list of points is read whichever way it stands", "[waveform][words]") {
  const std::vector<std::pair<double, double>> wanted = {{0, 0}, {1e-3, 0.5}, {2e-3, -0.25}};
  for (const char* text : {"0 0, 1m 0.5, 2m -0.25", "0 0; 1m 0.5; 2m -.25", "0 0\n1 ms 0.5 V\n2 ms -0.25 V", "time volts\n0,0\n1m,0.5\n2m,-0.25", "# drawn by hand\n0 0\r\n1m 500 mV\r\n2m -250mV\r\n",
                           "0 0 1m 0.5 2m -0.25", "0\t0\n1m\t+0.5\n2m\t-0.25"}) {
    INFO(text);
    const auto read = waveform::read_points(text);
    if (!read) FAIL(read.error().message);
    REQUIRE(read->size() == 3);
    for (std::size_t k = 0; k < 3; ++k) {
      CHECK((*read)[k].first == Approx(wanted[k].first).margin(1e-15));
      CHECK((*read)[k].second == Approx(wanted[k].second).margin(1e-15));
    }
  }
  CHECK(waveform::read_points("0 0, 1m 1")->size() == 2);
  for (const char* text : {"", "0 0", "time volts", "0 0, 1m", "0 0\n1m 0.5 2m", "0 0\n1m half", "0 0\n1 V 1 V", "0 0\n1m 1 A"}) {
    INFO(text);
    CHECK_FALSE(waveform::read_points(text));
  }
  CHECK_THAT(waveform::read_points("0 0\n1m 0.5\n2m low").error().message, Catch::Matchers::Contains("Point 3"));
  CHECK_THAT(waveform::read_points("0 0\n1m 0.5 2m").error().message, Catch::Matchers::Contains("not \"1m 0.5 2m\""));
  // What begins with more signs than a number is a heading.
  CHECK(waveform::read_points("---1 0\n0 0\n1m 1")->size() == 2);
  CHECK_FALSE(waveform::read_points("--1 0\n0 0\n1m 1"));
  std::string many;
  for (std::size_t k = 0; k < waveform::kMostPoints; ++k) many += std::to_string(k) + " 1\n";
  CHECK(waveform::read_points(many));
  CHECK_FALSE(waveform::read_points(many + "99999999 1\n"));
}

TEST_CASE("the generator's wave is what the brief says", "[waveform][words]") {
  auto p = plan();
  p.low = -1;
  p.high = 3;
  p.edge = 1e-4;
  const auto at = [](const bench::Waveform& wave, double t) { return wave.at(t); };
  p.shape = Shape::sine;
  auto wave = waveform::wave_of(p, 2e-3);
  CHECK(at(wave, 2e-3) == Approx(1).margin(1e-9));
  CHECK(at(wave, 2.25e-3) == Approx(3));
  CHECK(at(wave, 2.75e-3) == Approx(-1));
  p.shape = Shape::step;
  wave = waveform::wave_of(p, 1e-3);
  CHECK(at(wave, 0.5e-3) == Approx(-1));
  CHECK(at(wave, 1.05e-3) == Approx(1));
  CHECK(at(wave, 5e-3) == Approx(3));
  p.shape = Shape::pulse;
  p.width = 4e-4;
  wave = waveform::wave_of(p, 0);
  // Half way at half an edge, and so wide from there.
  CHECK(at(wave, 0.5e-4) == Approx(1).margin(1e-6));
  CHECK(at(wave, 3e-4) == Approx(3));
  CHECK(at(wave, 4.5e-4) == Approx(1).margin(1e-6));
  CHECK(at(wave, 9e-4) == Approx(-1));
  p.shape = Shape::ramp;
  wave = waveform::wave_of(p, 0);
  CHECK(at(wave, 0.45e-3) == Approx(1).margin(1e-6));
  CHECK(at(wave, 0.899e-3) == Approx(3).margin(0.01));
  CHECK(at(wave, 0.95e-3) == Approx(1).margin(1e-6));
  p.shape = Shape::staircase;
  p.steps = 4;
  p.edge = 1e-6;
  wave = waveform::wave_of(p, 0);
  const double first = at(wave, 0.1e-3), second = at(wave, 0.35e-3), last = at(wave, 0.9e-3);
  CHECK(first == Approx(-1));
  CHECK(last == Approx(3));
  CHECK(second == Approx(-1 + 4.0 / 3));
  p.shape = Shape::points;
  wave = waveform::wave_of(p, 1e-3);
  CHECK(at(wave, 1.5e-3) == Approx(0.05));
}

}  // namespace capture_words
