#include <cmath>

#include "noting_bench.h"
#include "sim/circuit.h"
#include "study/spectrum/kind.h"
#include "study/spectrum/preflight.h"
#include "study/spectrum/runner.h"
#include "waveform_support.h"

using namespace heron;

/// What a plan of spectra asks of the bench, in which order, and what it tells meanwhile.
namespace spectrum_run {
namespace {

using study::spectrum::Drive;
using study::spectrum::Plan;
using waveform_bench::direct;

constexpr const char* kHalf =
    "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n\"feed\" = \"feed\"\n[branches]\n\"in current\" = \"R1.a\"\n[ratings]\n\"in\" = { voltage = \"9 V\" }\n\"feed\" = { voltage = \"9 V\" }\n"
    "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"out\"]\nvalue = \"1 kohm\"\n[part.R2]\nkind = \"resistor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"1 kohm\"\n"
    "[part.R3]\nkind = \"resistor\"\nbetween = [\"feed\", \"ground\"]\nvalue = \"1 kohm\"\n";

Plan sine() {
  Plan out{.drive_pin = "in", .level = 1, .settle_time = 3e-3, .hookup = {.chains = {{.name = "v", .input = direct("out", 1), .zero = {}}, {.name = "s", .input = direct("in", 1), .zero = {}}}, .computed = {}}, .samples = 1024, .rate = 100e3};
  out.frequency = 41 * out.rate / 1024;
  return out;
}

struct Ran {
  Result<void> ended;
  std::vector<study::Point> kept;
  std::vector<study::Progress> told;
  std::vector<std::size_t> grown;  ///< records of a point that is still being read
};
Ran run(const Plan& plan, test::NotingBench& bench, const std::string& purpose = {}, std::stop_token stop = {}) {
  Ran out;
  const study::Surroundings around;
  out.ended = study::spectrum::run(plan, bench, {.around = around,
                                                 .purpose = purpose,
                                                 .keep = [&](const study::Point& p) -> Result<void> {
                                                   out.kept.push_back(p);
                                                   return {};
                                                 },
                                                 .so_far = [&](const study::Point& p) { out.grown.push_back(p.records.size()); },
                                                 .progress = [&](const study::Progress& p) { out.told.push_back(p); },
                                                 .stop = stop});
  return out;
}

}  // namespace

TEST_CASE("the quantity where the generator is connected is the stimulus, nothing else is", "[spectrum][run]") {
  auto plan = sine();
  test::NotingBench bench(waveform_bench::circuit(kHalf), 4);
  const auto ran = run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(ran.kept.front().setting.json().at("stimulus") == "s");
  // Nor is a current there, nor anything where nothing drives.
  plan.hookup.chains[1].input = {.pin = "in current", .range = 1, .sensor = *bench::find_stock_sensor("Clamp 40 A")};
  test::NotingBench current(waveform_bench::circuit(kHalf), 4);
  const auto of_current = run(plan, current);
  if (!of_current.ended) FAIL(of_current.ended.error().message);
  CHECK_FALSE(of_current.kept.front().setting.json().contains("stimulus"));
  plan = sine();
  plan.drive = Drive::nothing;
  test::NotingBench none(waveform_bench::circuit(kHalf), 4);
  const auto undriven = run(plan, none);
  if (!undriven.ended) FAIL(undriven.ended.error().message);
  CHECK_FALSE(undriven.kept.front().setting.json().contains("stimulus"));
}

TEST_CASE("inputs without a range are rehearsed at the highest level of the sweep, for no longer than it takes", "[spectrum][run][long]") {
  auto plan = sine();
  plan.hookup.chains[0].input.range.reset();
  plan.along = study::spectrum::Along::level;
  plan.level = 0.5;
  plan.end = 2;
  plan.points = 3;
  for (const int samples : {1024, 16384}) {
    plan.samples = samples;
    test::NotingBench bench(waveform_bench::circuit(kHalf), 4);
    const auto ran = run(plan, bench);
    if (!ran.ended) FAIL(ran.ended.error().message);
    REQUIRE(bench.captured.size() == 4);
    CHECK(bench.captured[0].samples == std::min(samples, 8192));
    CHECK(bench.captured[1].samples == samples);
    const auto ranges = bench.limits().ranges;
    CHECK(bench.connected[0][0].range == ranges.back());
    // Half of 2 V pk-pk behind the generator's 50 ohm, and a tenth of room.
    CHECK(bench.connected[1][0].range == *std::find_if(ranges.begin(), ranges.end(), [](double r) { return r >= 1.1 * 2000 / 2050 / 2; }));
  }
}

TEST_CASE("a level beyond what the generator gives is told at its limit, however low that is", "[spectrum][run]") {
  study::Surroundings around;
  around.limits.highest_level_pp = 0.5;
  const auto beyond = [&](double level) {
    auto plan = sine();
    plan.level = level;
    return waveform_bench::has(study::spectrum::preflight(plan, around, nullptr), "source.limit");
  };
  CHECK_FALSE(beyond(0.5));
  CHECK(beyond(0.501));
  around.limits.highest_level_pp = 0;
  CHECK_FALSE(beyond(100));
}

TEST_CASE("a spectrum that is stopped while its feed comes up has read nothing, and everything is off", "[spectrum][run]") {
  auto plan = sine();
  plan.feed_pin = "feed";
  plan.feed_voltage = 5;
  plan.along = study::spectrum::Along::level;
  plan.end = 2;
  test::NotingBench bench(waveform_bench::circuit(kHalf), 4);
  bench.before = [](const std::string& call) -> Result<void> { return call == "wait" ? fail(Fault::stopped, "Stopped.") : Result<void>{}; };
  const auto ran = run(plan, bench);
  REQUIRE_FALSE(ran.ended);
  CHECK(ran.ended.error().fault == Fault::stopped);
  CHECK_THAT(ran.ended.error().message, Catch::Matchers::Contains("Stopped after 0 of "));
  CHECK(ran.kept.empty());
  CHECK(bench.calls.back() == "off");
}

TEST_CASE("the inputs' own noise is read at every range that may be used, and says how long the rest takes", "[spectrum][run]") {
  auto plan = sine();
  plan.hookup.chains.resize(1);
  const auto wired = sim::with_standard(waveform_bench::circuit(kHalf), "short", 0);
  REQUIRE(wired);
  test::NotingBench fixed(*wired, 4);
  const auto one = run(plan, fixed, "short");
  if (!one.ended) FAIL(one.ended.error().message);
  CHECK(one.kept.size() == 1);
  CHECK(fixed.connected.size() == 1);
  plan.hookup.chains[0].input.range.reset();
  test::NotingBench bench(*wired, 4);
  const auto ranges = bench.limits().ranges;
  const auto ran = run(plan, bench, "short");
  if (!ran.ended) FAIL(ran.ended.error().message);
  REQUIRE(ran.kept.size() == ranges.size());
  REQUIRE(ran.told.size() == ranges.size());
  for (std::size_t k = 0; k < ranges.size(); ++k) {
    CHECK(ran.kept[k].index == int(k));
    CHECK(bench.connected[k].front().range == ranges[k]);
    CHECK(ran.told[k].done == int(k));
    CHECK(ran.told[k].total == int(ranges.size()));
    CHECK(ran.told[k].bench_seconds_left == Approx(double(ranges.size() - k) * 1024 / 100e3));
  }
}

TEST_CASE("a sweep says where each point was taken and how far it is, and shows what is read of it meanwhile", "[spectrum][run]") {
  auto plan = sine();
  plan.along = study::spectrum::Along::level;
  plan.level = 0.5;
  plan.end = 2;
  plan.points = 3;
  plan.records = 3;
  test::NotingBench bench(waveform_bench::circuit(kHalf), 4);
  const auto ran = run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  REQUIRE(ran.kept.size() == 3);
  for (std::size_t k = 0; k < 3; ++k) {
    const auto& swept = ran.kept[k].setting.json().at("swept");
    CHECK(swept.at("name") == "level");
    CHECK(swept.at("value").get<double>() == Approx(0.5 * std::pow(2.0, double(k)) / (2 * std::numbers::sqrt2)));
    CHECK(ran.kept[k].records.size() == 3);
    CHECK(ran.kept[k].records[2].pass == 2);
  }
  // After each record but the last of a point.
  CHECK(ran.grown == std::vector<std::size_t>{1, 2, 1, 2, 1, 2});
  const double each = 3e-3 + 3 * 1024 / 100e3;
  REQUIRE(ran.told.size() == 12);
  for (std::size_t k = 0; k < 12; ++k) {
    const double share = double(k % 4) / 3;
    CHECK(ran.told[k].done == int(k / 4));
    CHECK(ran.told[k].total == 3);
    CHECK(ran.told[k].share == Approx(share));
    CHECK(ran.told[k].bench_seconds_left == Approx((3 - double(k / 4) - share) * each));
  }
  plan.along = study::spectrum::Along::frequency;
  plan.end = 4 * plan.frequency;
  test::NotingBench other(waveform_bench::circuit(kHalf), 4);
  const auto over = run(plan, other);
  if (!over.ended) FAIL(over.ended.error().message);
  CHECK(over.kept[1].setting.json().at("swept").at("name") == "frequency");
  CHECK(over.kept[1].setting.json().at("swept").at("value").get<double>() == Approx(2 * plan.frequency).epsilon(0.05));
  plan.along = study::spectrum::Along::nothing;
  test::NotingBench alone(waveform_bench::circuit(kHalf), 4);
  const auto one = run(plan, alone);
  if (!one.ended) FAIL(one.ended.error().message);
  CHECK_FALSE(one.kept.front().setting.json().contains("swept"));
}

TEST_CASE("two tones come from two generators of twice the resistance, each rising through its mean at the start", "[spectrum][run]") {
  auto plan = sine();
  plan.drive = Drive::two_tones;
  plan.second_frequency = 3 * plan.frequency;
  plan.source_resistance = 50;
  test::NotingBench bench(waveform_bench::circuit(kHalf), 4);
  const auto ran = run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  REQUIRE(bench.generated.size() == 2);
  for (int k = 0; k < 2; ++k) {
    const auto& g = bench.generated[std::size_t(k)];
    CHECK(g.generator == k);
    CHECK(g.pin == "in");
    CHECK(g.source_resistance == 100);
    CHECK(g.wave.peak == plan.level);
    CHECK(g.wave.frequency == (k == 0 ? plan.frequency : plan.second_frequency));
    CHECK(g.wave.phase == Approx(-std::numbers::pi / 2));
  }
  CHECK(ran.kept.front().setting.json().at("second_frequency") == plan.second_frequency);
}

TEST_CASE("a level in dBFS is looked for by what is read, and told where it cannot be", "[spectrum][run][long]") {
  auto plan = sine();
  plan.wanted = -6;
  plan.hookup.chains.resize(1);
  const auto with_full_scale = [&](test::NotingBench& bench, const char* full_scale) {
    Ran out;
    study::Surroundings around;
    around.settings = {{"full_scale", full_scale}};
    out.ended = study::spectrum::run(plan, bench, {.around = around, .keep = [&](const study::Point& p) -> Result<void> {
                                                     out.kept.push_back(p);
                                                     return {};
                                                   }});
    return out;
  };
  test::NotingBench bench(waveform_bench::circuit(kHalf), 4);
  const auto ran = with_full_scale(bench, "0.4 V");
  if (!ran.ended) FAIL(ran.ended.error().message);
  // Half of it reaches the output, behind 50 ohm.
  const double level = ran.kept.front().setting.json().at("level_pp");
  CHECK(level == Approx(2 * 0.4 * std::pow(10, -0.3) * 2050 / 1000).epsilon(2e-3));
  // From 1 V at most four times as much at once, and a look that says it is right; none longer than 8192 samples.
  CHECK(bench.captured.size() == 3);
  plan.samples = 16384;
  plan.level = level;
  test::NotingBench near(waveform_bench::circuit(kHalf), 4);
  REQUIRE(with_full_scale(near, "0.4 V").ended);
  REQUIRE(near.captured.size() >= 2);
  CHECK(near.captured.front().samples == 8192);
  CHECK(near.captured.back().samples == 16384);
  plan.level = 0.01;
  test::NotingBench far(waveform_bench::circuit(kHalf), 4);
  REQUIRE(with_full_scale(far, "0.4 V").ended);
  // 0.01, 0.04, 0.16, 0.64, and what it comes to.
  CHECK(far.captured.size() >= 6);
  CHECK(far.captured.size() <= 7);
}

}  // namespace spectrum_run
