#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "study/preflight.h"
#include "study/waveform/preflight.h"
#include "waveform_support.h"

using namespace heron;

namespace waveform_bench {

TEST_CASE("a surge has the peak, front and tail that are asked of it", "[waveform][bench]") {
  for (const auto& [front, tail] : {std::pair{1.2e-6, 50e-6}, {0.8e-6, 20e-6}, {10e-6, 700e-6}, {1e-6, 3.5e-6}}) {
    const auto wave = bench::surge(-60, front, tail, 5e-6);
    double peak = 0, when = 0;
    for (double t = 0; t < 5 * tail; t += front / 2000)
      if (-wave.at(t) > peak) {
        peak = -wave.at(t);
        when = t;
      }
    CHECK(peak == Approx(60).epsilon(1e-3));
    const auto passes = [&](double share, double from, double to, bool falls) {
      for (int k = 0; k < 100; ++k) {
        const double m = (from + to) / 2;
        ((-wave.at(m) > share * 60) == falls ? from : to) = m;
      }
      return from;
    };
    CHECK((passes(0.9, 5e-6, when, false) - passes(0.3, 5e-6, when, false)) / 0.6 == Approx(front).epsilon(5e-3));
    CHECK(passes(0.5, when, when + 5 * tail, true) - 5e-6 == Approx(tail).epsilon(5e-3));
    CHECK(wave.at(0) == 0);
    CHECK(wave.at(1) == 0);
  }
}

TEST_CASE("the surge generator divides into its device and refuses what it cannot give or a pin cannot bear", "[waveform][bench]") {
  sim::SimulatedBench bench(circuit(kResistor), 2);
  REQUIRE(bench.connect({direct("in", 50)}));
  REQUIRE(bench.surge({.pin = "in", .peak = 38, .front = 2e-6, .tail = 40e-6, .source_resistance = 25, .after = 10e-6}));
  const auto read = bench.capture(20e6, 2000, {});
  REQUIRE(read);
  const auto v = read->channels[0].volts();
  CHECK(*std::max_element(v.begin(), v.end()) == Approx(38 * 100.0 / 125).epsilon(5e-3));
  CHECK(v[100] == Approx(0).margin(0.05));
  CHECK_FALSE(bench.surge({.pin = "in", .peak = 41}));
  CHECK_FALSE(bench.surge({.pin = "in", .peak = -6}));
  CHECK_FALSE(bench.surge({.pin = "elsewhere", .peak = 10}));
  CHECK_FALSE(bench.surge({.pin = "in", .peak = 10, .source_resistance = 0.1}));
  CHECK_FALSE(bench.surge({.pin = "in", .peak = 10, .front = 1e-9}));
  CHECK_FALSE(bench.surge({.pin = "in", .peak = 10, .front = 1e-6, .tail = 3.4e-6}));
  // Off is off: nothing of it comes again.
  bench.off();
  const auto rest = bench.capture(20e6, 2000, {});
  REQUIRE(rest);
  for (const double x : rest->channels[0].volts()) REQUIRE(std::abs(x) < 0.1);
}

TEST_CASE("a contact that opens lets a capacitor go, one that closes bounces first", "[waveform][bench]") {
  sim::SimulatedBench bench(circuit(kFed), 4);
  REQUIRE(bench.connect({direct("cap", 5)}));
  CHECK_FALSE(bench.operate({.contact = "K9"}));
  REQUIRE(bench.supply({.pin = "feed", .voltage = 4, .current_limit = 2}));
  REQUIRE(bench.wait(0.01, {}));
  REQUIRE(bench.operate({.contact = "K1", .closed = false, .after = 5e-3}));
  const auto falls = bench.capture(20e3, 800, {});
  REQUIRE(falls);
  const auto v = falls->channels[0].volts();
  // Into 200 ohm and the input's megohm, from what the divider held.
  const double tau = 100e-6 / (1 / 200.0 + 1e-6), held = 4 * 200.0 / 201;
  CHECK(v[50] == Approx(held).epsilon(3e-3));
  CHECK(v[700] / v[300] == Approx(std::exp(-400 / 20e3 / tau)).epsilon(3e-3));
  // While it bounces the feed comes back several times: the voltage rises in between.
  int rises = 0;
  for (std::size_t k = 101; k < 145; ++k) rises += v[k] > v[k - 1] + 0.01;
  CHECK(rises >= 1);
  REQUIRE(bench.operate({.contact = "K1", .closed = true}));
  const auto comes = bench.capture(20e3, 400, {});
  REQUIRE(comes);
  CHECK(comes->channels[0].volts().back() == Approx(held).epsilon(3e-3));
}

TEST_CASE("a DC source that is switched on rises after its time and charges by its resistance", "[waveform][bench]") {
  sim::SimulatedBench bench(circuit(kFed), 4);
  REQUIRE(bench.connect({direct("cap", 5)}));
  REQUIRE(bench.supply({.pin = "feed", .voltage = 4, .current_limit = 30, .rises_after = 1e-3}));
  const auto read = bench.capture(1e6, 3000, {});
  REQUIRE(read);
  const auto v = read->channels[0].volts();
  CHECK(std::abs(v[900]) < 5e-3);
  CHECK(v.back() == Approx(4 * 200.0 / 201).epsilon(3e-3));
  // 1 ohm of the resistor and 20 mohm of the contact into 100 uF, beside 200 ohm; the rise of 250 us is over by then.
  const double tau = 100e-6 / (1 / 1.022 + 1 / 200.0), end = 4 * 200 / 201.022;
  CHECK((end - v[1500]) / (end - v[1400]) == Approx(std::exp(-100e-6 / tau)).epsilon(0.02));
}

TEST_CASE("records that wait for an edge have no gap, however long they are", "[waveform][bench]") {
  sim::SimulatedBench bench(circuit(kResistor), 2);
  REQUIRE(bench.connect({direct("in", 2)}));
  bench::Waveform sine{.shape = bench::Waveform::Shape::sine, .peak = 1.2, .frequency = 10e3};
  REQUIRE(bench.generate({.pin = "in", .wave = sine}));
  const auto read = bench.capture_on({.level = 0.1, .pre_trigger = 0.3, .time_out = 1e-2}, 1e6, 20000, {});
  REQUIRE(read);
  const auto v = read->channels[0].volts();
  // Rises through zero, first and last: their distance is so many periods.
  double first = -1, last = 0;
  int count = 0;
  for (std::size_t k = 1; k < v.size(); ++k)
    if (v[k - 1] < 0 && v[k] >= 0) {
      last = double(k) - v[k] / (v[k] - v[k - 1]);
      if (first < 0) first = last;
      ++count;
    }
  CHECK((last - first) / (count - 1) == Approx(100).epsilon(2e-5));
  REQUIRE(read->trigger_at);
  const double place = *read->trigger_at * 1e6;
  const auto k = std::size_t(place);
  CHECK(v[k] + (place - double(k)) * (v[k + 1] - v[k]) == Approx(0.1).margin(5e-3));
}

TEST_CASE("the start of the drive is time 0, whatever lags", "[waveform][bench]") {
  for (const char* sensor : {"Direct lead", "Probe x10", "Isolated probe x50"}) {
    auto plan = pulses();
    plan.high = 20;
    plan.low = 0;
    plan.edge = 200e-9;
    plan.hookup.chains = {{.name = "v", .input = direct("in", 1), .zero = {}}};
    plan.hookup.chains.front().input.sensor = exact(sensor);
    plan.hookup.chains.front().input.bandwidth_limit = false;
    plan.hookup.chains.front().input.range = std::string_view(sensor) == "Direct lead" ? 20 : 2;
    plan.high = 10;
    Studied s(kResistor, plan);
    const auto take = s.take();
    if (!take) FAIL(take.error().message);
    const auto reading = s.analysed(*take).reading;
    const auto* rise = reading.find("time.at(50%)");
    const auto again = study::find_kind("waveform")->analyse(*s.store.points(*take), {}, {"time.at(50%)"});
    REQUIRE(again);
    rise = again->reading.find("time.at(50%)");
    REQUIRE(rise);
    INFO(sensor);
    // Half of the edge, and what one pole of input and sensor lags: under two nanoseconds.
    CHECK(rise->value == Approx(100e-9).margin(3e-9));
  }
}

TEST_CASE("a missed edge is a take that says so and proposes a level that comes", "[waveform][bench]") {
  auto plan = pulses();
  plan.when = When::edge;
  plan.level = 2.9;
  plan.patience = 0.4e-3;
  Studied s(kResistor, plan);
  const auto take = s.take();
  if (!take) FAIL(take.error().message);
  const auto analysis = s.analysed(*take);
  const auto& doubt = found(analysis.reading.doubts, "trigger.missing");
  INFO(doubt.text);
  CHECK(doubt.text.find("v did not pass 2.90") != std::string::npos);
  CHECK(doubt.text.find("between") != std::string::npos);
  REQUIRE(doubt.edits.size() == 1);
  CHECK(doubt.edits.front().first == "level");
  // The proposal is understood, and comes.
  const study::waveform::PlannedCapture planned(plan);
  const auto mended = planned.with("level", doubt.edits.front().second, *run::surroundings_of(s.store, s.study));
  if (!mended) FAIL(mended.error().message);
  Studied again(kResistor, dynamic_cast<const study::waveform::PlannedCapture&>(**mended).plan());
  const auto second = again.take();
  REQUIRE(second);
  const auto better = again.analysed(*second);
  CHECK_FALSE(has(better.reading.doubts, "trigger.missing"));
  // The level lies at time 0.
  const auto at = study::find_kind("waveform")->analyse(*again.store.points(*second), {}, {"level.at(0s)"});
  REQUIRE(at);
  CHECK(at->reading.find("level.at(0s)")->value == Approx(dynamic_cast<const study::waveform::PlannedCapture&>(**mended).plan().level).margin(0.05));
}

TEST_CASE("a single event is never rehearsed and never read on a range that looks for itself", "[waveform][bench]") {
  auto plan = opened();
  Studied sound(kFed, plan);
  REQUIRE(sound.take());
  CHECK_FALSE(has(sound.findings(plan), "autorange.single_shot"));
  plan.hookup.chains.front().input.range.reset();
  Studied refused(kFed, plan);
  CHECK(found(refused.findings(plan), "autorange.single_shot").binding);
  CHECK_FALSE(refused.take());
  CHECK_FALSE(refused.take({.accepted = {"autorange.single_shot"}}));
  // What the generator repeats may look for its range.
  auto repeated = pulses();
  repeated.hookup.chains.front().input.range.reset();
  Studied looks(kResistor, repeated);
  const auto take = looks.take();
  if (!take) FAIL(take.error().message);
  const auto range = looks.store.points(*take)->front().records.front().channels.front().range;
  REQUIRE(range);
  // 2 V reach the very end of one range; the next one holds it with room.
  CHECK(*range == Approx(5));
}

TEST_CASE("preflight of a capture says what would break, miss or be coarse, and nothing of a sound one", "[waveform][preflight]") {
  const auto sound = pulses();
  Studied s(kResistor, sound);
  for (const auto& finding : s.findings(sound)) {
    INFO(finding.key << ": " << finding.text);
    CHECK(finding.severity == study::Severity::note);
  }
  const auto with = [&](auto change) {
    auto plan = sound;
    change(plan);
    return s.findings(plan);
  };
  const auto refused = [](const std::vector<study::Doubt>& findings) { return study::refusal(findings).has_value(); };
  // Ratings of either sign, of whatever drives; just inside they say nothing.
  CHECK(refused(with([](Plan& p) { p.low = -5.1; })));
  CHECK_FALSE(refused(with([](Plan& p) { p.low = -4.9; })));
  for (const double peak : {39.0, 41.0})
    CHECK(refused(with([&](Plan& p) {
            p.drive = Drive::surge;
            p.surge_peak = peak;
            p.hookup.chains.front().input.range = 50;
          })) == (peak > 40));
  for (const double volts : {39.0, 41.0}) {
    CHECK(refused(with([&](Plan& p) {
            p.drive = Drive::supply;
            p.supply_voltage = volts;
            p.hookup.chains.front().input.range = 50;
          })) == (volts > 40));
    CHECK(refused(with([&](Plan& p) {
            p.feed_pin = "in";
            p.feed_voltage = volts;
          })) == (volts > 40));
  }
  // What mends a drive that is too high is its own word; points have none.
  const auto drive_edits = [&](auto change) {
    for (const auto& finding : with(change))
      if (finding.binding) return finding.edits;
    FAIL("nothing is refused");
    return study::Edits{};
  };
  CHECK(drive_edits([](Plan& p) { p.low = -5.1; }) == study::Edits{{"low", "\u22125 V"}});
  CHECK(drive_edits([](Plan& p) {
    p.shape = Shape::points;
    p.points = {{0, 0}, {1e-6, -6}};
  }).empty());
  // What a pin sees of 1 to 3 V behind 50 ohm, at 100 ohm.
  auto offset = sound;
  offset.low = 1;
  const auto levels = study::waveform::predict(offset, *run::surroundings_of(s.store, s.study));
  REQUIRE(levels);
  CHECK(levels->quantities.at("v").dc == Approx(2.0 * 100 / 150).epsilon(1e-3));
  CHECK(levels->quantities.at("v").peak == Approx(1.0 * 100 / 150).epsilon(1e-2));
  // A level beyond what is expected; half of 3 V is what 50 ohm leave at 100.
  CHECK(has(with([](Plan& p) {
    p.when = When::edge;
    p.level = 3.5;
  }), "trigger.missing"));
  CHECK_FALSE(has(with([](Plan& p) {
    p.when = When::edge;
    p.level = 1;
    p.patience = 1;
  }), "trigger.missing"));
  CHECK(has(with([](Plan& p) {
    p.when = When::edge;
    p.level = 1;
    p.patience = 40e-6;
  }), "trigger.missing"));
  // Eight samples a period of a sine.
  for (const double rate : {7.9e4, 8.1e4})
    CHECK(has(with([&](Plan& p) {
      p.shape = Shape::sine;
      p.period = 100e-6;
      p.length = 10e-3;
      p.rate = rate;
    }), "sampling.coarse") == (rate < 8e4));
  CHECK(refused(with([](Plan& p) { p.hookup.chains.clear(); })));
}

TEST_CASE("a capture makes no sense without its contact, its quantity, its room", "[waveform]") {
  const auto kept = [](auto change) {
    auto plan = pulses();
    change(plan);
    const auto read = study::find_kind("waveform")->plan(study::waveform::to_json(plan));
    return read ? std::string() : read.error().message;
  };
  CHECK(kept([](Plan&) {}).empty());
  CHECK(kept([](Plan& p) { p.drive = Drive::contact; }).find("which contact") != std::string::npos);
  CHECK(kept([](Plan& p) {
          p.when = When::edge;
          p.quantity = "w";
        }).find("no input senses") != std::string::npos);
  CHECK(kept([](Plan& p) { p.high = p.low; }).find("above the lower") != std::string::npos);
  CHECK(kept([](Plan& p) { p.width = p.period; }).find("does not fit") != std::string::npos);
  CHECK(kept([](Plan& p) { p.length = 1; }).find("the most") != std::string::npos);
  CHECK(kept([](Plan& p) { p.length = 1e-8; }).find("the fewest") != std::string::npos);
  CHECK(kept([](Plan& p) {
          p.drive = Drive::supply;
          p.feed_pin = "in";
        }).find("one DC source") != std::string::npos);
  CHECK(kept([](Plan& p) {
          p.drive = Drive::surge;
          p.surge_tail = p.surge_front;
        }).find("no less than 3.5 times") != std::string::npos);
  CHECK(kept([](Plan& p) {
          p.shape = Shape::staircase;
          p.edge = p.period;
        }).find("no room") != std::string::npos);
}

TEST_CASE("passes average what is their own and keep what they share", "[waveform]") {
  auto plan = pulses();
  plan.rate = 20e6;
  Studied once(kResistor, plan);
  plan.passes = 16;
  Studied often(kResistor, plan);
  const auto one = once.take(), many = often.take();
  if (!one) FAIL(one.error().message);
  if (!many) FAIL(many.error().message);
  const auto first = once.analysed(*one).reading, mean = often.analysed(*many).reading;
  // A rise time has no share of the input's gain: sixteen passes know it four times as well.
  const double u_one = *first.find("rise_time")->u, u_many = *mean.find("rise_time")->u;
  CHECK(u_many < 0.6 * u_one);
  CHECK(u_many > 0.08 * u_one);
  // The gain of the range does not average out.
  CHECK(*mean.find("amplitude")->u > 0.9 * 3e-4 * mean.find("amplitude")->value);
  CHECK(mean.find("amplitude")->value == Approx(2).epsilon(2e-3));
}

}  // namespace waveform_bench
