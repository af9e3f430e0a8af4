#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "sim/trigger.h"
#include "study/preflight.h"
#include "study/waveform/points.h"
#include "study/waveform/reduced.h"
#include "study/waveform/words.h"
#include "waveform_support.h"

using namespace heron;

namespace waveform_bench {
namespace {

using bench::Digitiser;
using Event = bench::TriggerSetup::Event;
using std::numbers::pi;

/// A level of rest with pulses of so many samples on it, each edge over four.
std::vector<double> pulses_of(const std::vector<int>& widths) {
  std::vector<double> out(40, 0.0);
  for (const int width : widths) {
    for (int k = 1; k < 4; ++k) out.push_back(k / 4.0);
    out.insert(out.end(), std::size_t(width - 3), 1.0);
    for (int k = 3; k > 0; --k) out.push_back(k / 4.0);
    out.insert(out.end(), 40, 0.0);
  }
  return out;
}

std::vector<double> places(const std::vector<double>& v, const bench::TriggerSetup& setup, double away = 0.1) {
  sim::TriggerFinder finder(setup, away, 1, 0);
  std::vector<double> out;
  for (const double x : v)
    if (const auto place = finder.look(x)) out.push_back(*place);
  return out;
}

}  // namespace

TEST_CASE("a trigger finds edges between samples, and pulses by their width", "[bench][trigger]") {
  const auto v = pulses_of({10, 4, 25});
  // Each rises through a half two samples after it leaves zero.
  const auto edges = places(v, {.level = 0.55, .hold_off = 0});
  REQUIRE(edges.size() == 3);
  CHECK(edges[0] == Approx(39 + 2.2));
  const auto falls = places(v, {.level = 0.55, .rising = false, .hold_off = 0});
  CHECK(falls.size() == 3);
  const auto narrow = places(v, {.level = 0.5, .event = Event::narrower, .width = 5, .hold_off = 0});
  REQUIRE(narrow.size() == 1);
  const auto wide = places(v, {.level = 0.5, .event = Event::wider, .width = 20, .hold_off = 0});
  REQUIRE(wide.size() == 1);
  CHECK(wide[0] > narrow[0]);
  // Just at the width: the half-way points of the first pulse stand ten apart.
  CHECK(places(v, {.level = 0.5, .event = Event::narrower, .width = 10.01, .hold_off = 0}).size() == 2);
  CHECK(places(v, {.level = 0.5, .event = Event::narrower, .width = 9.99, .hold_off = 0}).size() == 1);
  // Pulses that go below are no pulses above.
  auto turned = v;
  for (auto& x : turned) x = 1 - x;
  CHECK(places(turned, {.level = 0.5, .rising = false, .event = Event::wider, .width = 20, .hold_off = 0}).size() == 1);
  // Nothing counts within the hold-off.
  CHECK(places(v, {.level = 0.55, .hold_off = 60}).size() == 2);
}

TEST_CASE("noise at a level neither begins nor ends a pulse within the hysteresis", "[bench][trigger]") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> noise(0, 0.02);
  auto v = pulses_of({30, 30, 30, 30});
  for (auto& x : v) x += noise(random);
  CHECK(places(v, {.level = 0.5, .event = Event::narrower, .width = 20, .hold_off = 0}).empty());
  CHECK(places(v, {.level = 0.5, .event = Event::wider, .width = 20, .hold_off = 0}).size() == 4);
  CHECK(places(v, {.level = 0.5, .hold_off = 0}).size() == 4);
}

TEST_CASE("a clean edge is placed within a hundredth of a sample", "[bench][trigger]") {
  for (const double share : {0.05, 0.31, 0.5, 0.77, 0.99}) {
    std::vector<double> v;
    // A straight edge over eight samples that passes 0.4 at 100 + share.
    for (int k = 0; k < 200; ++k) v.push_back(std::clamp(0.4 + (k - 100 - share) / 8, 0.0, 1.0));
    const auto found = places(v, {.level = 0.4, .hold_off = 0});
    REQUIRE(found.size() == 1);
    CHECK(found[0] == Approx(100 + share).margin(0.01));
  }
}

TEST_CASE("the fast inputs read more often with fewer bits, and are only so many", "[bench][waveform]") {
  sim::SimulatedBench bench(circuit(kResistor), 7);
  const auto limits = bench.limits();
  const auto& fast = limits.of(Digitiser::fast);
  CHECK(limits.highest_sample_rate == 100e6);
  CHECK(limits.inputs == 8);
  CHECK(limits.input.bits == 14);
  CHECK(fast.highest_sample_rate == 1e9);
  CHECK(fast.inputs == 5);
  CHECK(fast.input.bits == 10);
  REQUIRE(bench.connect({direct("in", 5)}, Digitiser::fast));
  REQUIRE(bench.generate({.pin = "in", .wave = bench::pulse(0, 3, 20e-9, 20e-9, 400e-9, 2e-6)}));
  const auto read = bench.capture(1e9, 4000, {});
  REQUIRE(read);
  CHECK(read->sample_rate == 1e9);
  CHECK(read->channels[0].highest_count == 511);
  const auto v = read->channels[0].volts();
  CHECK(*std::max_element(v.begin(), v.end()) == Approx(2).epsilon(0.02));
  CHECK_FALSE(bench.connect(std::vector<bench::InputSetup>(6, direct("in", 5)), Digitiser::fast));
  CHECK(bench.connect(std::vector<bench::InputSetup>(8, direct("in", 5))));
  CHECK_FALSE(bench.connect(std::vector<bench::InputSetup>(9, direct("in", 5))));
  // A range that one has and the other has not.
  CHECK(bench.connect({direct("in", 0.02)}));
  CHECK_FALSE(bench.connect({direct("in", 0.02)}, Digitiser::fast));
}

TEST_CASE("a long capture comes by stretches that join without a gap", "[bench][waveform]") {
  sim::SimulatedBench bench(circuit(kResistor), 7);
  REQUIRE(bench.connect({direct("in", 2)}));
  bench::Waveform sine{.shape = bench::Waveform::Shape::sine, .peak = 1.2, .frequency = 1e3};
  REQUIRE(bench.generate({.pin = "in", .wave = sine}));
  std::vector<std::int16_t> all;
  std::size_t stretches = 0;
  const auto read = bench.capture(1e6, 300'000, {}, [&](const bench::Capture& stretch) -> Result<void> {
    all.insert(all.end(), stretch.channels[0].counts.begin(), stretch.channels[0].counts.end());
    ++stretches;
    return {};
  });
  REQUIRE(read);
  CHECK(read->channels[0].counts.empty());
  CHECK(all.size() == 300'000);
  CHECK(stretches > 3);
  // Three hundred periods of one sine: what a fit over all of them leaves is noise and rounding.
  double a = 0, b = 0;
  for (std::size_t k = 0; k < all.size(); ++k) {
    a += all[k] * std::cos(2 * pi * 1e-3 * double(k)) * 2 / double(all.size());
    b += all[k] * std::sin(2 * pi * 1e-3 * double(k)) * 2 / double(all.size());
  }
  double worst = 0;
  for (std::size_t k = 0; k < all.size(); ++k)
    worst = std::max(worst, std::abs(all[k] - a * std::cos(2 * pi * 1e-3 * double(k)) - b * std::sin(2 * pi * 1e-3 * double(k))));
  CHECK(worst < 12);
  // Whoever takes it may end it.
  int taken = 0;
  const auto ended = bench.capture(1e6, 300'000, {}, [&](const bench::Capture&) -> Result<void> {
    if (++taken == 2) return fail(Fault::stopped, "enough");
    return {};
  });
  REQUIRE_FALSE(ended);
  CHECK(ended.error().message == "enough");
}

TEST_CASE("a long record that waits for its edge is stored while it comes, trigger in its place", "[waveform][bench][recording][long]") {
  auto plan = pulses();
  plan.when = When::edge;
  plan.level = 1;
  plan.rate = 10e6;
  plan.length = 0.25;
  plan.before = 0.5;
  plan.patience = 1;
  REQUIRE(plan.samples() > study::waveform::kInMemory);
  Studied s(kResistor, plan);
  const auto take = s.take();
  if (!take) FAIL(take.error().message);
  const auto points = *s.store.points(*take);
  REQUIRE(points.size() == 1);
  const auto& channel = points.front().records.front().channels.front();
  REQUIRE(channel.recording);
  CHECK(channel.size() == 2'500'000);
  const auto analysis = study::find_kind("waveform")->analyse(points, {}, {"level.at(0s)", "frequency"});
  REQUIRE(analysis);
  CHECK(analysis->reading.find("level.at(0s)")->value == Approx(1).margin(0.05));
  CHECK(analysis->reading.find("frequency")->value == Approx(10e3).epsilon(1e-4));
}

TEST_CASE("only the record in which a watch trips is kept", "[waveform][bench][watch]") {
  auto plan = pulses();
  plan.keep = study::waveform::Keep::tripped;
  plan.passes = 5;
  Studied s(kResistor, plan);
  const auto set = [&](const std::string& watch) {
    s.study.settings["watch.high"] = watch;
    REQUIRE(s.store.set_settings(s.study.id, s.study.settings));
    s.study = *s.store.find_study("S");
  };
  // Without a watch that looks at what is sensed there is nothing to wait for.
  CHECK(found(s.findings(plan), "watch.missing").severity == study::Severity::serious);
  CHECK_FALSE(s.take());
  set("w over 1 V");
  CHECK(has(s.findings(plan), "watch.missing"));
  // Two volts never come above three.
  set("over 3 V");
  CHECK_FALSE(has(s.findings(plan), "watch.missing"));
  const auto none = s.take();
  REQUIRE_FALSE(none);
  CHECK(none.error().fault == Fault::stopped);
  CHECK(none.error().message.find("5 records") != std::string::npos);
  set("over 1 V");
  const auto take = s.take();
  if (!take) FAIL(take.error().message);
  CHECK(s.store.points(*take)->size() == 1);
  CHECK(s.analysed(*take).reading.find("watch.high.latched")->value == 1);
}

TEST_CASE("a pulse that is narrower is waited for, and one that never comes is said to be missing", "[waveform][bench]") {
  auto plan = pulses();
  plan.when = When::narrow_pulse;
  plan.level = 1;
  plan.patience = 0.5e-3;
  for (const double width : {50e-6, 30e-6}) {
    plan.pulse_width = width;
    Studied s(kResistor, plan);
    const auto take = s.take();
    if (!take) FAIL(take.error().message);
    const auto analysis = study::find_kind("waveform")->analyse(*s.store.points(*take), {}, {"level.at(0s)"});
    REQUIRE(analysis);
    // Pulses are 40 us wide.
    CHECK(has(analysis->reading.doubts, "trigger.missing") == (width < 40e-6));
    if (width > 40e-6) CHECK(analysis->reading.find("level.at(0s)")->value == Approx(1).margin(0.1));
    if (width < 40e-6) CHECK(found(analysis->reading.doubts, "trigger.missing").text.find("had no pulse") != std::string::npos);
  }
}

TEST_CASE("points of a drive are read from whatever list, and refused with the point", "[waveform]") {
  using study::waveform::read_points;
  using List = std::vector<std::pair<double, double>>;
  const List wanted = {{0, 0}, {1e-3, 0.5}, {2e-3, -0.25}};
  for (const char* text : {"0 0, 1m 0.5, 2m -0.25", "0 s 0 V; 1 ms 500 mV; 2 ms -250 mV", "0,0\n1e-3,0.5\n2e-3,-.25\n",
                           "time (s),level (V)\r\n# made by hand\r\n0,0\r\n0.001,0.5\r\n0.002,-0.25\r\n", "0 0 1m 0.5 2m -0.25",
                           "0\t0\n1m\t.5\n2m\t-.25"}) {
    const auto read = read_points(text);
    INFO(text);
    if (!read) FAIL(read.error().message);
    REQUIRE(read->size() == 3);
    for (std::size_t k = 0; k < 3; ++k) {
      CHECK((*read)[k].first == Approx(wanted[k].first).margin(1e-15));
      CHECK((*read)[k].second == Approx(wanted[k].second).margin(1e-15));
    }
  }
  for (const char* text : {"", "0 0", "0 0; 1m", "0 0; 1m half", "0 0; 1 ms 2 A", "0 0; 1 kg 2", "nothing"}) {
    INFO(text);
    const auto read = read_points(text);
    REQUIRE_FALSE(read);
    CHECK(read.error().fault == Fault::input);
  }
  // As a word of the brief: checked as a whole.
  auto plan = pulses();
  plan.shape = Shape::points;
  const study::Surroundings none;
  CHECK(study::waveform::apply(plan, "points", "0 0, 1m 3, 2m 0", none));
  CHECK_FALSE(study::waveform::apply(plan, "points", "0 0, 2m 3, 1m 0", none));
  CHECK_FALSE(study::waveform::apply(plan, "points", "-1m 0, 2m 3", none));
  CHECK(study::waveform::apply(plan, "points", "3 points", none));
  CHECK(study::waveform::hint(plan, "points", none).from_file);
}

TEST_CASE("a drive by points goes where they say", "[waveform][bench]") {
  auto plan = pulses();
  plan.shape = Shape::points;
  plan.points = {{0, 0}, {10e-6, 3}, {20e-6, 3}, {25e-6, 1.5}};
  plan.length = 50e-6;
  plan.before = 0.2;
  Studied s(kResistor, plan);
  const auto take = s.take();
  if (!take) FAIL(take.error().message);
  const auto analysis = study::find_kind("waveform")->analyse(*s.store.points(*take), {}, {"level.at(5us)", "level.at(15us)", "level.at(35us)"});
  REQUIRE(analysis);
  // A third stays in the 50 ohm of the source.
  CHECK(analysis->reading.find("level.at(5us)")->value == Approx(1).epsilon(0.01));
  CHECK(analysis->reading.find("level.at(15us)")->value == Approx(2).epsilon(0.01));
  CHECK(analysis->reading.find("level.at(35us)")->value == Approx(1).epsilon(0.01));
}

TEST_CASE("preflight says which inputs would serve better", "[waveform][preflight]") {
  auto plan = pulses();
  Studied s(kResistor, plan);
  const auto findings = [&](double rate, Digitiser which, std::size_t quantities = 1) {
    auto changed = plan;
    changed.rate = rate;
    changed.hookup.digitiser = which;
    changed.length = 5e-6;
    for (std::size_t k = 1; k < quantities; ++k) {
      auto more = changed.hookup.chains.front();
      more.name += std::to_string(k);
      changed.hookup.chains.push_back(more);
    }
    return s.findings(changed);
  };
  const auto mend = [](const std::vector<study::Doubt>& all) { return found(all, "sampling.coarse").edits.front(); };
  CHECK(mend(findings(500e6, Digitiser::accurate)) == std::pair<std::string, std::string>{"hookup.digitiser", "fast"});
  // Five fast inputs do not hold six quantities: the rate must come down.
  CHECK(mend(findings(500e6, Digitiser::accurate, 6)).first == "rate");
  CHECK(study::refusal(findings(500e6, Digitiser::accurate)));
  CHECK_FALSE(study::refusal(findings(500e6, Digitiser::fast)));
  CHECK(found(findings(50e6, Digitiser::fast), "digitiser.coarse").edits.front().second == "accurate");
  CHECK_FALSE(has(findings(500e6, Digitiser::fast), "digitiser.coarse"));
  // Eight accurate inputs hold no nine quantities; exactly what inputs reach they reach.
  CHECK_FALSE(has(findings(50e6, Digitiser::fast, 9), "digitiser.coarse"));
  CHECK(has(findings(100e6, Digitiser::fast), "digitiser.coarse"));
  CHECK_FALSE(study::refusal(findings(100e6, Digitiser::accurate)));
  CHECK(mend(findings(1e9, Digitiser::accurate)).first == "hookup.digitiser");
  CHECK_FALSE(has(findings(50e6, Digitiser::accurate), "digitiser.coarse"));
  // And the word itself, both ways.
  const auto around = *run::surroundings_of(s.store, s.study);
  const auto fast = study::waveform::apply(plan, "hookup.digitiser", "the fast inputs", around);
  REQUIRE(fast);
  CHECK(fast->hookup.digitiser == Digitiser::fast);
  CHECK_FALSE(study::waveform::apply(plan, "hookup.digitiser", "slow", around));
  const auto again = study::waveform::plan_from_json(study::waveform::to_json(*fast));
  REQUIRE(again);
  CHECK(again->hookup == fast->hookup);
}

TEST_CASE("a lead that is off is told from a quantity that is small", "[waveform][bench][doubts]") {
  Studied sound(kResistor, pulses());
  const auto take = sound.take();
  if (!take) FAIL(take.error().message);
  CHECK_FALSE(has(sound.analysed(*take).reading.doubts, "lead.off"));
  // One record just under and one just over a hundredth of what was foreseen.
  for (const double swing : {0.9e-2, 1.1e-2}) {
    study::Channel channel{.role = "v", .unit = "V", .scale = 1e-4, .range = 2, .lowest_count = -32768, .highest_count = 32767};
    for (int k = 0; k < 1000; ++k) channel.counts.push_back(std::int16_t(k % 100 < 50 ? 0 : std::lround(3 * swing / 1e-4)));
    study::Point point{.index = 0, .setting = {{"expected", {{"v", 3.0}}}}, .records = {{.sample_rate = 1e6}}};
    point.records.front().channels.push_back(channel);
    const auto analysis = study::find_kind("waveform")->analyse({point}, {}, {});
    REQUIRE(analysis);
    CHECK(has(analysis->reading.doubts, "lead.off") == (swing < 1e-2));
  }
}

TEST_CASE("a surge is foreseen as the device takes it, however long the record", "[waveform][preflight][bench]") {
  auto plan = pulses();
  plan.drive = Drive::surge;
  plan.surge_peak = 38;
  plan.surge_resistance = 25;
  plan.hookup.chains.front().input.range = 50;
  // A sensor that somebody fitted wrongly is not known beforehand.
  plan.hookup.chains.front().input.planted = bench::Planted{.sensor = *bench::find_stock_sensor("Probe x10"), .pin = {}};
  Studied s(kResistor, plan);
  const auto around = *run::surroundings_of(s.store, s.study);
  for (const double length : {50e-6, 1.0}) {
    plan.length = length;
    plan.rate = 1e4 / length;
    const auto levels = study::waveform::PlannedCapture(plan).predict(around);
    REQUIRE(levels);
    // A hundred ohm behind twenty-five.
    CHECK(levels->quantities.at("v").peak == Approx(38 * 100.0 / 125).epsilon(5e-3));
  }
}

TEST_CASE("what carries a surge must bear it if the device breaks down", "[waveform][preflight]") {
  auto plan = pulses();
  plan.drive = Drive::surge;
  plan.surge_peak = 30;
  plan.hookup.chains = {{.name = "i", .input = {.pin = std::string(bench::kDriveLead), .range = 2, .sensor = exact("Shunt 1 ohm")}, .zero = {}}};
  plan.quantity = "i";
  Studied s(kResistor, plan);
  const auto broken = [&](double peak, double ohms) {
    plan.surge_peak = peak;
    plan.surge_resistance = ohms;
    const auto all = s.findings(plan);
    return std::any_of(all.begin(), all.end(), [](const auto& d) { return d.binding && d.text.find("broke down") != std::string::npos; });
  };
  // The shunt bears an ampere: the source alone says what a short draws.
  CHECK_FALSE(broken(30, 30.5));
  CHECK(broken(30, 29.5));
  CHECK(broken(-30, 29.5));
  // A branch of the device need not carry what the drive lead does.
  plan.hookup.chains.front().input.pin = "in";
  CHECK_FALSE(broken(30, 29.5));
}

TEST_CASE("a slow record that is stopped keeps what had come", "[waveform][bench]") {
  auto plan = pulses();
  plan.shape = Shape::sine;
  plan.period = 0.1;
  plan.length = 30;
  plan.rate = 1e3;
  plan.before = 0;
  const auto around = study::Surroundings{};
  sim::SimulatedBench bench(circuit(kResistor), 3, {}, true);
  std::stop_source stop;
  std::vector<study::Point> kept;
  int seen = 0;
  const auto ran = study::waveform::PlannedCapture(plan).run(
      bench, {.around = around,
              .keep = [&](const study::Point& p) -> Result<void> {
                kept.push_back(p);
                return {};
              },
              .so_far = [&](const study::Point&) {
                if (++seen == 3) stop.request_stop();
              },
              .stop = stop.get_token()});
  REQUIRE_FALSE(ran);
  CHECK(ran.error().fault == Fault::stopped);
  REQUIRE(kept.size() == 1);
  const auto size = kept.front().records.front().channels.front().size();
  CHECK(size >= 300);
  CHECK(size < 30'000);
}

}  // namespace waveform_bench
