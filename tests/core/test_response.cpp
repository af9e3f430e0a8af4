#include "response_support.h"
#include "sim/simulated_bench.h"
#include "study/response/brief.h"
#include "study/response/cursors.h"
#include "study/response/figures.h"
#include "study/response/kind.h"
#include "study/response/preflight.h"
#include "study/response/runner.h"

using namespace heron;
using namespace heron::study;
using std::numbers::pi;
using namespace heron::test;

namespace {

Complex band_pass(double f) { return 20.0 * Complex(0, f / 19) / Complex(1, f / 19) * low_pass(f, 21e3); }

double figure(const Reading& reading, std::string_view key) {
  const auto* f = reading.find(key);
  if (!f) FAIL("no figure " << key);
  return f->value;
}
std::string reason(const Reading& reading, std::string_view key) {
  for (const auto& a : reading.absent)
    if (a.key == key) return a.reason;
  FAIL(key << " is not absent");
  return "";
}
bool doubted(const Reading& reading, std::string_view key) {
  return std::any_of(reading.doubts.begin(), reading.doubts.end(), [&](const Doubt& d) { return d.key == key; });
}
bool found(const std::vector<Doubt>& list, std::string_view key) {
  return std::any_of(list.begin(), list.end(), [&](const Doubt& d) { return d.key == key; });
}

sim::Circuit rc() {
  return *sim::read_circuit(
      "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"out\"]\nvalue "
      "= \"1.6 kohm\"\n"
      "[part.C1]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"10 nF\"\n",
      "rc.toml");
}

response::Plan rc_plan() {
  return {.drive_pin = "in",
          .hookup = response::direct_hookup("in", "out"),
          .start = 100,
          .stop = 200e3,
          .points_per_decade = 5,
          .level_pp = 0.2,
          .settle_time = 2e-3,
          .settle_periods = 4};
}

std::vector<Point> swept(const response::Plan& plan, std::uint64_t seed = 1) {
  sim::SimulatedBench bench(rc(), seed);
  std::vector<Point> points;
  const auto ok = response::run(plan, bench,
                                [&](const Point& p) -> Result<void> {
                                  points.push_back(p);
                                  return {};
                                },
                                {}, {});
  if (!ok) FAIL(ok.error().message);
  return points;
}

}  // namespace

TEST_CASE("corners, bandwidth and slopes of a band-pass", "[response]") {
  const auto reading = response::read(
      sampled(band_pass, 0.5, 1e6, 400), {},
      {"gain@1kHz", "phase@632Hz", "slope(1,5)", "slope(100kHz,1MHz)", "ripple(100,4kHz)", "delay.group@1kHz"});
  CHECK(figure(reading, "corner.low") == Approx(19).epsilon(2e-3));
  CHECK(figure(reading, "corner.high") == Approx(21e3).epsilon(2e-3));
  CHECK(figure(reading, "bandwidth") == Approx(20981).epsilon(2e-3));
  CHECK(figure(reading, "centre") == Approx(std::sqrt(19 * 21e3)).epsilon(2e-3));
  CHECK(figure(reading, "q") == Approx(std::sqrt(19 * 21e3) / 20981).epsilon(4e-3));
  CHECK(figure(reading, "gain.reference") == Approx(20 * std::log10(20.0)).margin(0.01));
  CHECK(figure(reading, "peak.frequency") == Approx(std::sqrt(19 * 21e3)).epsilon(0.02));
  CHECK(figure(reading, "gain@1kHz") == Approx(20 * std::log10(std::abs(band_pass(1e3)))).margin(1e-3));
  CHECK(figure(reading, "phase@632Hz") == Approx(std::arg(band_pass(632)) * 180 / pi).margin(0.01));
  CHECK(figure(reading, "slope(1,5)") == Approx(20).margin(0.5));
  CHECK(figure(reading, "slope(100kHz,1MHz)") == Approx(-20).margin(0.5));
  CHECK(figure(reading, "ripple(100,4kHz)") ==
        Approx(20 * std::log10(std::abs(band_pass(632) / std::min(std::abs(band_pass(100)), std::abs(band_pass(4e3))))))
            .margin(0.01));
  const double w = 2 * pi * 1e3, t1 = 1 / (2 * pi * 19), t2 = 1 / (2 * pi * 21e3);
  CHECK(figure(reading, "delay.group@1kHz") ==
        Approx(t1 / (1 + w * w * t1 * t1) + t2 / (1 + w * w * t2 * t2)).epsilon(0.01));
}

TEST_CASE("figures of a coarse sweep interpolate on lg f and dB", "[response]") {
  // Straight lines on these axes: 0 dB to 100 Hz, then -20 dB per decade; a point on neither side of the corner.
  std::vector<response::CurvePoint> points;
  for (const auto& [f, g] : {std::pair{1.0, 0.0}, {10.0, 0.0}, {100.0, 0.0}, {1000.0, -20.0}, {10000.0, -40.0}})
    points.push_back({.index = int(points.size()), .frequency = f, .gain_db = g});
  const auto reading = response::read(*response::assemble(points), {}, {"gain@316.227766Hz", "slope(200,5000)"});
  CHECK(figure(reading, "corner.high") == Approx(100 * std::pow(10, 3.010299956639812 / 20)).epsilon(1e-9));
  CHECK(figure(reading, "gain@316.227766Hz") == Approx(-10).margin(1e-6));
  CHECK(figure(reading, "slope(200,5000)") == Approx(-20));
  CHECK_THAT(reason(reading, "corner.low"), Catch::Matchers::Contains("3.01 dB"));
  response::Settings deep;
  REQUIRE(response::set(deep, "drop", "20"));
  CHECK(figure(response::read(*response::assemble(points), deep), "corner.high") == Approx(1000));
}

TEST_CASE("the reference goes where the definition says", "[response]") {
  const auto low = sampled([](double f) { return low_pass(f, 1e3); }, 1, 1e5, 101);
  CHECK(figure(response::read(low, {}), "gain.reference") == Approx(0).margin(1e-5));
  const auto high = sampled([](double f) { return Complex(0, f / 1e3) / Complex(1, f / 1e3); }, 1, 1e5, 101);
  CHECK(figure(response::read(high, {}), "corner.low") == Approx(1e3).epsilon(0.01));
  response::Settings at;
  REQUIRE(response::set(at, "reference", "2kHz"));
  CHECK(figure(response::read(low, at), "gain.reference") == Approx(-10 * std::log10(5.0)).margin(0.01));
  CHECK(figure(response::read(low, at), "corner.high") ==
        Approx(3000).epsilon(0.01));  // |H|^2 half of 1/5: 1 + (f/1k)^2 = 10
  response::Settings outside;
  REQUIRE(response::set(outside, "reference", "2MHz"));
  CHECK_THAT(reason(response::read(low, outside), "gain.reference"), Catch::Matchers::Contains("outside"));
  CHECK_FALSE(response::set(outside, "reference", "middle"));
  CHECK_FALSE(response::set(outside, "colour", "red"));
}

TEST_CASE("a resonance's peak and a notch's depth lie between the points", "[response]") {
  // |H| of a second-order section: peak at f0 sqrt(1 - 1/(2Q^2)) with height Q / sqrt(1 - 1/(4Q^2)).
  const double f0 = 1e3, q = 5;
  const auto h = [&](double f) { return 1.0 / Complex(1 - f * f / (f0 * f0), f / (f0 * q)); };
  response::Settings from_first;
  REQUIRE(response::set(from_first, "reference", "first"));
  const auto reading = response::read(sampled(h, 10, 1e5, 801), from_first);
  CHECK(figure(reading, "peak.frequency") == Approx(f0 * std::sqrt(1 - 1 / (2 * q * q))).epsilon(1e-3));
  CHECK(figure(reading, "peak.height") == Approx(20 * std::log10(q / std::sqrt(1 - 1 / (4 * q * q)))).margin(0.01));
  const auto notch = [&](double f) {
    return Complex(1 - f * f / (f0 * f0), 0.02) / Complex(1 - f * f / (f0 * f0), f / f0);
  };
  const auto dip = response::read(sampled(notch, 10, 1e5, 2001), {});
  CHECK(figure(dip, "notch.frequency") == Approx(f0).epsilon(5e-3));
  CHECK(figure(dip, "notch.depth") > 30);
  CHECK_THAT(reason(reading, "notch.depth"), Catch::Matchers::Contains("end of the sweep"));
}

TEST_CASE("margins of a loop", "[response]") {
  // L = K / (s (1 + s/p)^2): phase -180 at s = jp, |L| there K/(2p).
  const double p = 2 * pi * 1e3, k = 0.5 * p;
  const auto l = [&](double f) {
    const Complex s(0, 2 * pi * f);
    return k / (s * (1.0 + s / p) * (1.0 + s / p));
  };
  const auto reading = response::read(sampled(l, 10, 1e5, 1001), {});
  CHECK(figure(reading, "crossover.phase") == Approx(1e3).epsilon(1e-3));
  CHECK(figure(reading, "margin.gain") == Approx(20 * std::log10(4.0)).margin(0.01));
  const double fc = figure(reading, "crossover.gain");
  CHECK(std::abs(l(fc)) == Approx(1).epsilon(1e-3));
  CHECK(figure(reading, "margin.phase") == Approx(180 + std::remainder(std::arg(l(fc)) * 180 / pi, 360)).margin(0.05));
}

TEST_CASE("the uncertainty of a corner follows from that of its points", "[long][response]") {
  const double u = 0.02;
  const auto curve = sampled([](double f) { return low_pass(f, 1e3); }, 10, 1e5, 41, u);
  const auto reading = response::read(curve, {});
  // Monte Carlo over the same points is the independent answer.
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal(0, u);
  std::vector<double> corners;
  for (int i = 0; i < 500; ++i) {
    auto moved = curve;
    for (auto& p : moved.points) p.gain_db += normal(random);
    corners.push_back(figure(response::read(moved, {}), "corner.high"));
  }
  double mean = 0, squares = 0;
  for (const double c : corners) mean += c / double(corners.size());
  for (const double c : corners) squares += (c - mean) * (c - mean);
  CHECK(*reading.find("corner.high")->u == Approx(std::sqrt(squares / double(corners.size()))).epsilon(0.1));
}

TEST_CASE("figure keys are checked before anything is read", "[response]") {
  for (const char* good :
       {"corner.low", "gain@1kHz", "phase@20", "slope(1k,10k)", "ripple(20Hz,20kHz)", "delay.group@1kHz"})
    CHECK(response::check_figure_key(good));
  for (const char* bad : {"", "corner", "gain@", "gain@-5", "gain@5V", "slope(1k)", "slope(10k,1k)", "slope(1k,10k",
                          "gain@1,5k", "coroner.low@3"}) {
    INFO(bad);
    const auto checked = response::check_figure_key(bad);
    REQUIRE_FALSE(checked);
    CHECK(checked.error().fault == Fault::usage);
  }
}

TEST_CASE("a sound sweep of an RC raises no doubt and finds its corner", "[long][response][bench]") {
  auto plan = rc_plan();
  plan.refine = true;
  for (const std::uint64_t seed : {1, 2, 3, 4, 5, 6}) {
    const auto curve = response::reduce_take(swept(plan, seed));
    REQUIRE(curve);
    const auto reading = response::read(*curve, {}, {"corner.high"});
    for (const auto& d : reading.doubts) {
      INFO("seed " << seed << ": " << d.key << " " << d.text);
      CHECK(d.severity == Severity::note);
    }
    // 1 Mohm and 15 pF of the input belong to what is measured.
    const double r = 1.6e3 * 1e6 / (1.6e3 + 1e6), exact = 1 / (2 * pi * r * (10e-9 + 15e-12));
    CHECK(figure(reading, "corner.high") == Approx(exact).epsilon(0.004));
    CHECK(std::abs(figure(reading, "corner.high") - exact) < 4 * *reading.find("corner.high")->u);
  }
  // The same points alone leave about a per cent between them, and say so.
  const auto coarse = response::read(*response::reduce_take(swept(rc_plan(), 1)), {}, {"corner.high"});
  CHECK(coarse.find("corner.high")->u_between > 0);
  const double exact = 1 / (2 * pi * 1.6e3 * 1e6 / (1.6e3 + 1e6) * (10e-9 + 15e-12));
  CHECK(std::abs(figure(coarse, "corner.high") - exact) < 2 * *coarse.find("corner.high")->u);
}

TEST_CASE("each fault of a set-up is doubted", "[response][bench]") {
  const auto doubts_of = [](const response::Plan& plan) {
    return response::read(*response::reduce_take(swept(plan)), {}, {"corner.high"});
  };
  SECTION("clipped") {
    auto plan = rc_plan();
    plan.hookup.chains[1].input.range = 0.05;
    CHECK(doubted(doubts_of(plan), "input.clipped"));
  }
  SECTION("range underused") {
    auto plan = rc_plan();
    plan.hookup.chains[1].input.range = 50;
    CHECK(doubted(doubts_of(plan), "range.underused"));
  }
  SECTION("few periods") {
    auto plan = rc_plan();
    plan.periods = 3;
    CHECK(doubted(doubts_of(plan), "periods.few"));
  }
  SECTION("noise") {
    auto plan = rc_plan();
    plan.level_pp = 1e-3;
    plan.hookup.chains[1].input.range = 20;
    CHECK(doubted(doubts_of(plan), "noise.limited"));
  }
  SECTION("settling") {
    auto plan = rc_plan();
    plan.offset = 2;  // steps in when the drive starts, with 16 us to die away
    plan.start = 20e3;
    plan.settle_time = 0;
    plan.settle_periods = 0;
    plan.hookup.chains[0].input.range = plan.hookup.chains[1].input.range =
        5;  // automatic ranging would wait a period and settle it
    CHECK(doubted(doubts_of(plan), "settling.short"));
  }
}

TEST_CASE("stopping keeps the points before it and turns the drive off", "[response][bench]") {
  sim::SimulatedBench bench(rc(), 1);
  std::stop_source stop;
  std::vector<Point> kept;
  const auto ran = response::run(
      rc_plan(), bench,
      [&](const Point& p) -> Result<void> {
        kept.push_back(p);
        if (kept.size() == 7) stop.request_stop();
        return {};
      },
      {}, stop.get_token());
  REQUIRE_FALSE(ran);
  CHECK(ran.error().fault == Fault::stopped);
  CHECK(kept.size() == 7);
  // Nothing is driven any more: what is read is far below a hundredth of the level.
  REQUIRE(bench.connect({{"in", 0.1}}));
  const auto quiet = bench.capture(1e6, 1000, {});
  REQUIRE(quiet);
  for (const double v : quiet->channels[0].volts()) CHECK(std::abs(v) < 1e-3);
}

TEST_CASE("averaging narrows the noise by its root", "[response][bench]") {
  auto plan = rc_plan();
  plan.start = 1e3;
  plan.stop = 1.1e3;
  plan.by_total = true;
  plan.points_total = 2;
  plan.level_pp = 5e-3;
  const auto noise_of = [&](int averages) {
    plan.averages = averages;
    auto points = swept(plan);
    for (auto& p : points)
      for (auto& r : p.records)
        for (auto& c : r.channels) c.u_gain = 0;  // what is left is the noise of the fit
    return *response::reduce(points.front())->u_gain_db;
  };
  CHECK(noise_of(1) / noise_of(16) == Approx(4).epsilon(0.15));
}

TEST_CASE("tables come in as curves or not at all", "[response]") {
  const auto table = [](std::vector<std::pair<std::string, std::vector<double>>> columns) {
    Record r;
    for (auto& [role, numbers] : columns) r.channels.push_back({.role = role, .numbers = numbers});
    return response::reduce_table(r);
  };
  const auto curve = table({{"frequency", {100, 10, 1000}}, {"gain", {1, 2, 3}}});
  REQUIRE(curve);
  CHECK(curve->points.front().frequency == 10);
  CHECK_FALSE(curve->has_phase);
  CHECK_THAT(reason(response::read(*curve, {}, {"phase@100"}), "phase@100"), Catch::Matchers::Contains("no phase"));
  CHECK(table({{"frequency", {1, 2}}, {"real", {0, 1}}, {"imag", {2, 0}}})->points[0].gain_db ==
        Approx(6.0206).margin(1e-4));
  CHECK_FALSE(table({{"frequency", {10, 10}}, {"gain", {1, 2}}}));
  CHECK_FALSE(table({{"frequency", {-1, 10}}, {"gain", {1, 2}}}));
  CHECK_FALSE(table({{"frequency", {0, 10}}, {"gain", {1, 2}}}));
  CHECK_FALSE(table({{"frequency", {1, 2}}, {"real", {0, 1}}, {"imag", {0, 0}}}));
}

TEST_CASE("the brief says the plan and takes its words back", "[response]") {
  auto plan = rc_plan();
  const std::vector<std::string> pins = {"in", "out"};
  for (const auto& piece : response::brief(plan)) {
    if (piece.key.empty()) continue;
    INFO(piece.key << " = " << piece.text);
    const auto same = response::apply(plan, piece.key, piece.text, pins);
    REQUIRE(same);
    CHECK(response::to_json(*same) == response::to_json(plan));
  }
  const auto change = [&](const char* key, const char* text) {
    const auto changed = response::apply(plan, key, text, pins);
    if (!changed) FAIL(changed.error().message);
    plan = *changed;
  };
  change("start", "5 Hz");
  change("stop", "500k");
  change("points", "12 per decade");
  change("level", "20m");
  CHECK(plan.start == 5);
  CHECK(plan.stop == 500e3);
  CHECK(response::point_count(plan) == 61);
  CHECK(plan.level_pp == Approx(0.02));
  change("level", "7 mV rms");
  CHECK(plan.level_pp == Approx(7e-3 * 2 * std::sqrt(2.0)));
  change("level", "10m");
  CHECK(plan.level_pp == Approx(10e-3 * 2 * std::sqrt(2.0)));
  change("points", "30 points");
  CHECK(response::point_count(plan) == 30);
  CHECK(response::frequencies(plan).back() == 500e3);
  change("spacing", "linear");
  CHECK(response::frequencies(plan)[1] - response::frequencies(plan)[0] == Approx((500e3 - 5) / 29));
  const auto refused = [&](const char* key, const char* text, const char* says) {
    const auto changed = response::apply(plan, key, text, pins);
    INFO(key << " = " << text);
    REQUIRE_FALSE(changed);
    CHECK_THAT(changed.error().message, Catch::Matchers::Contains(says));
  };
  refused("start", "-3 Hz", "above zero");
  refused("start", "1 MHz", "not above its start");
  refused("stop", "1 Hz", "not above its start");
  refused("stop", "20 km", "length");
  refused("level", "0", "above zero");
  refused("level", "5 Hz", "frequency");
  refused("periods", "0", "1 to 1000");
  refused("averages", "2.5", "whole number");
  refused("settle_time", "-1 ms", "below zero");
  refused("response_pin", "elsewhere", "no pin");
  refused("points", "1e6", "More than");
  refused("response_range", "-5", "above zero");
}

namespace {
device::Ratings rated(double volts) { return {{"in", {.voltage = volts}}}; }
}  // namespace

TEST_CASE("preflight speaks before anything is driven", "[response]") {
  const auto limits = sim::SimulatedBench(rc(), 1).limits();
  const auto sound = response::preflight(rc_plan(), limits, rated(1.0));
  CHECK(sound.empty());
  auto plan = rc_plan();
  plan.level_pp = 3;
  CHECK(found(response::preflight(plan, limits, rated(1.0)), "rating.near"));
  CHECK(study::refusal(response::preflight(plan, limits, rated(1.0)))->fault == Fault::bench);
  CHECK_FALSE(study::refusal(response::preflight(plan, limits, rated(2.0))));
  plan = rc_plan();
  plan.hookup.chains[0].input.range = 0.05;
  CHECK(found(response::preflight(plan, limits, {}), "input.clipped"));
  plan.hookup.chains[0].input.range = 5;
  CHECK(found(response::preflight(plan, limits, {}), "range.underused"));
  plan = rc_plan();
  plan.start = 0.1;
  CHECK(found(response::preflight(plan, limits, {}), "sweep.long"));
  plan = rc_plan();
  auto slow = limits;
  slow.highest_sample_rate = 3 * plan.stop;
  CHECK(found(response::preflight(plan, slow, {}), "sampling.coarse"));
  CHECK_FALSE(study::refusal(response::preflight(plan, slow, {})));
  slow.highest_sample_rate = 2 * plan.stop;
  CHECK(study::refusal(response::preflight(plan, slow, {})));
  plan.stop = 50e6;
  CHECK(study::refusal(response::preflight(plan, limits, {})));
  plan = rc_plan();
  plan.level_pp = 30;
  CHECK(found(response::preflight(plan, limits, {}), "source.limit"));
}

TEST_CASE("the bench takes the time that the plan foretold", "[response][bench]") {
  const auto plan = rc_plan();
  sim::SimulatedBench bench(rc(), 1);
  double first = 0, last = -1;
  REQUIRE(response::run(
      plan, bench, [](const Point&) { return Result<void>(); },
      [&](const response::Progress& p) {
        if (p.done == 0) first = p.bench_seconds_left;
        last = p.bench_seconds_left;
      },
      {}));
  CHECK(first == Approx(response::sweep_time(plan, bench.limits())));
  CHECK(last == Approx(0).margin(1e-9));
  CHECK(bench.elapsed() == Approx(first).epsilon(0.3));
}

TEST_CASE("cursors read between points and tell the slope per decade", "[response]") {
  const auto curve = sampled([](double f) { return low_pass(f, 10.0); }, 1, 1e6, 601);
  const auto a = response::read_at(curve, 1e3), b = response::read_at(curve, 1e5);
  REQUIRE(a);
  REQUIRE(b);
  const auto d = response::difference(*a, *b);
  CHECK(d.decades == Approx(2));
  CHECK(*d.db_per_decade == Approx(-20).margin(0.01));
  CHECK_FALSE(response::read_at(curve, 0.5));
  CHECK_FALSE(response::read_at(curve, -1));
}
