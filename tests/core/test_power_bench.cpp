#include <catch2/catch.hpp>
#include <cmath>
#include <complex>
#include <numbers>
#include <numeric>

#include "run/ledger.h"
#include "sim/simulated_bench.h"
#include "study/power/kind.h"
#include "study/power/preflight.h"
#include "study/power/reduced.h"
#include "study/power/runner.h"
#include "study/power/words.h"
#include "waveform_support.h"

using namespace heron;

/// Plans of power on the simulated bench.
namespace power_bench {
namespace {

using study::power::Feed;
using study::power::Method;
using study::power::Plan;
using std::numbers::pi;
using std::numbers::sqrt2;
using waveform_bench::circuit;
using waveform_bench::has;

constexpr const char* kLoad =
    "[pins]\n\"mains\" = \"in\"\n[branches]\n\"mains current\" = \"R1.a\"\n[ratings]\n\"mains\" = { voltage = \"400 V\" }\n"
    "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"u\"]\nvalue = \"30 ohm\"\n[part.L1]\nkind = \"inductor\"\nbetween = [\"u\", \"ground\"]\nvalue = \"60 mH\"\n"
    "[part.C1]\nkind = \"capacitor\"\nbetween = [\"in\", \"ground\"]\nvalue = \"10 nF\"\nseries_resistance = \"200 ohm\"\n";

bench::Chain sensed(const char* name, const char* pin, const char* sensor, double range) {
  bench::Chain out{.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
  if (out.input.sensor.senses_current()) out.zero = 0;
  return out;
}

Plan mains() {
  Plan out{.feed = Feed::mains, .pin = "mains", .voltage = 230, .frequency = 50, .line_resistance = 0.4, .line_inductance = 0.8e-3, .settle_time = 0.1};
  out.hookup = {.chains = {sensed("v", "mains", "Probe x100", 5), sensed("i", "mains current", "Clamp 40 A", 2)}, .computed = {}};
  out.rate = 20e3;
  return out;
}

struct Taken {
  std::vector<study::Point> points;
  std::optional<Error> error;
};
Taken taken(const Plan& plan, const std::string& text, const study::SettingsText& settings = {}, std::stop_token stop = {}, const std::function<void(const study::Progress&)>& progress = {}) {
  sim::SimulatedBench bench(circuit(text.c_str()), 7);
  study::Surroundings around;
  around.settings = settings;
  Taken out;
  const auto ok = study::power::run(plan, bench, {.around = around,
                                                  .keep = [&](const study::Point& p) -> Result<void> {
                                                    out.points.push_back(p);
                                                    return {};
                                                  },
                                                  .progress = progress,
                                                  .stop = stop});
  if (!ok) out.error = ok.error();
  return out;
}

study::Reading read(const Taken& take, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  if (take.error) FAIL(take.error->message);
  const auto analysis = study::power::kind().analyse(take.points, settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

/// Within so many of its own uncertainties.
bool near(const study::Reading& r, const char* key, double truth, double times = 3) {
  const auto* f = r.find(key);
  if (!f) FAIL(key);
  CAPTURE(key, f->value, truth, f->u.value_or(0));
  return std::abs(f->value - truth) <= times * f->u.value_or(0) + 2e-4 * std::abs(truth);
}

}  // namespace

TEST_CASE("the mains source feeds a coil as its closed form has it, distortion and line included", "[power][bench]") {
  auto plan = mains();
  plan.third = 0.03;
  const auto r = read(taken(plan, kLoad));
  const std::complex<double> line(0.4, 2 * pi * 50 * 0.8e-3), load(30, 2 * pi * 50 * 60e-3), line3(0.4, 2 * pi * 150 * 0.8e-3), load3(30, 2 * pi * 150 * 60e-3);
  const auto i1 = 230.0 / (line + load), v1 = i1 * load, i3 = 230.0 * 0.03 / (line3 + load3), v3 = i3 * load3;
  CHECK(near(r, "voltage.rms", std::sqrt(std::norm(v1) + std::norm(v3))));
  CHECK(near(r, "current.rms", std::sqrt(std::norm(i1) + std::norm(i3))));
  CHECK(near(r, "power.active", 30 * (std::norm(i1) + std::norm(i3))));
  CHECK(near(r, "power.reactive", (v1 * std::conj(i1)).imag(), 4));
  CHECK(near(r, "angle.current", std::arg(load) * 180 / pi, 4));
  CHECK(near(r, "thd.voltage", 100 * std::abs(v3) / std::abs(v1), 4));
  CHECK(near(r, "frequency", 50, 4));
}

TEST_CASE("a coil that is switched on at a crossing draws the offset that theory gives it, at a crest none", "[power][bench][inrush]") {
  auto plan = mains();
  plan.method = Method::switch_on;
  plan.length = 0.3;
  plan.rate = 50e3;
  const double r = 30.4, l = 60.8e-3, w = 2 * pi * 50, z = std::hypot(r, w * l), phi = std::atan2(w * l, r), peak = 230 * sqrt2;
  for (const double angle : {0.0, 90.0, 32.0}) {
    CAPTURE(angle);
    plan.angle = angle;
    const auto take = taken(plan, kLoad);
    const auto reading = read(take, {{"method", "switch_on"}});
    const double a = angle * pi / 180;
    double highest = 0, lowest = 0;
    for (double t = 0; t < 0.1; t += 1e-6) {
      const double i = peak / z * (std::sin(w * t + a - phi) - std::sin(a - phi) * std::exp(-r / l * t));
      highest = std::max(highest, i);
      lowest = std::min(lowest, i);
    }
    CHECK(near(reading, "inrush.peak.positive", highest, 4));
    CHECK(near(reading, "inrush.peak.negative", lowest, 4));
    CHECK(near(reading, "steady.rms", 230 / z, 4));
  }
}

TEST_CASE("three phases turn as they are asked to, and eight inputs serve six channels", "[power][bench]") {
  std::string text = "[pins]\n\"a\" = \"a\"\n\"b\" = \"b\"\n\"c\" = \"c\"\n[branches]\n\"ia\" = \"RA.a\"\n\"ib\" = \"RB.a\"\n\"ic\" = \"RC.a\"\n[ratings]\n\"a\" = { voltage = \"100 V\" }\n";
  for (const char phase : {'A', 'B', 'C'}) text += fmt::format("[part.R{0}]\nkind = \"resistor\"\nbetween = [\"{1}\", \"ground\"]\nvalue = \"10 ohm\"\n", phase, char(phase + 32));
  Plan plan{.feed = Feed::phases, .pin = "a", .pin_b = "b", .pin_c = "c", .voltage = 24, .frequency = 60, .line_resistance = 0.1, .line_inductance = 10e-6, .settle_time = 0.05};
  plan.hookup = {.chains = {sensed("v_a", "a", "Probe x10", 5), sensed("v_b", "b", "Probe x10", 5), sensed("v_c", "c", "Probe x10", 5), sensed("i_a", "ia", "Clamp 40 A", 0.5), sensed("i_b", "ib", "Clamp 40 A", 0.5),
                            sensed("i_c", "ic", "Clamp 40 A", 0.5)},
                 .computed = {}};
  plan.rate = 20e3;
  for (const auto sequence : {study::power::Sequence::abc, study::power::Sequence::acb}) {
    plan.sequence = sequence;
    const auto r = read(taken(plan, text));
    CHECK(r.find("sequence")->value == (sequence == study::power::Sequence::abc ? 1 : -1));
    const double v = 24 * 10 / 10.1;
    CHECK(near(r, "power.active", 3 * v * v / 10, 4));
    CHECK(near(r, "voltage.rms.b", v));
    CHECK(has(r.doubts, "wiring.suspected") == false);
  }
}

TEST_CASE("a recording keeps readings, what a watch caught, and all that was read when it is stopped", "[power][bench][recording]") {
  const std::string rail =
      "[pins]\n\"rail\" = \"rail\"\n[ratings]\n\"rail\" = { voltage = \"9 V\" }\n[part.B]\nkind = \"voltage source\"\nbetween = [\"c\", \"ground\"]\nvalue = \"0 V\"\n"
      "points = [[\"0 s\", \"5 V\"], [\"100 s\", \"5 V\"], [\"100.001 s\", \"4.3 V\"], [\"100.031 s\", \"4.3 V\"], [\"100.032 s\", \"5 V\"], [\"200 s\", \"5 V\"], [\"200.001 s\", \"4.2 V\"], [\"200.004 s\", \"4.2 V\"], [\"200.005 s\", \"5 V\"], [\"400 s\", \"4.9 V\"]]\n"
      "[part.R]\nkind = \"resistor\"\nbetween = [\"c\", \"rail\"]\nvalue = \"10 ohm\"\n[part.RL]\nkind = \"resistor\"\nbetween = [\"rail\", \"ground\"]\nvalue = \"10 kohm\"\n";
  Plan plan{.method = Method::recording, .settle_time = 0};
  plan.hookup = {.chains = {sensed("v", "rail", "Direct lead", 10)}, .computed = {}};
  plan.rate = 1e3;
  plan.length = 400;
  const study::SettingsText settings = {{"watch.rail", "v under 4.6 V for 10 ms"}, {"watch.all", "v under 4.6 V"}};
  const auto whole = taken(plan, rail, settings);
  const auto r = read(whole, settings, {"power.active"});
  CHECK(r.find("watch.rail.count")->value == 1);
  CHECK(r.find("watch.all.count")->value == 2);
  CHECK(r.find("watch.rail.first")->value == Approx(100).margin(0.05));
  CHECK(r.find("watch.rail.longest")->value == Approx(31e-3).margin(2e-3));
  auto reducer = study::power::reducer(settings);
  REQUIRE(reducer);
  for (const auto& p : whole.points) REQUIRE((*reducer)->add(p));
  const auto reduced = (*reducer)->so_far();
  REQUIRE(reduced);
  const auto& power = dynamic_cast<const study::power::ReducedPower&>(**reduced);
  CHECK(power.trend().time.size() == 400);
  // A raw record around each: the readings in which a watch tripped.
  REQUIRE(power.records().size() == 2);
  CHECK(power.records()[0]->traces[0]->time.at(0) == Approx(100).margin(0.01));
  CHECK(power.trend().log.size() == 3);
  CHECK(power.trend().log[0].point);
  REQUIRE(power.trend().find("v.low"));
  CHECK(*std::min_element(power.trend().find("v.low")->values.begin(), power.trend().find("v.low")->values.end()) == Approx(4.2).margin(0.02));
  CHECK(power.tables().size() == 2);

  // Stopped at about a half: what was read is there, and says how it ended.
  std::stop_source stop;
  const auto half = taken(plan, rail, settings, stop.get_token(), [&](const study::Progress& p) {
    if (p.share > 0.5) stop.request_stop();
  });
  REQUIRE(half.error);
  CHECK(half.error->fault == Fault::stopped);
  auto again = study::power::reducer(settings);
  for (const auto& p : half.points) REQUIRE((*again)->add(p));
  const auto kept = (*again)->so_far();
  REQUIRE(kept);
  const auto& trend = dynamic_cast<const study::power::ReducedPower&>(**kept).trend();
  CHECK(trend.time.size() >= 195);
  CHECK(trend.time.size() < 260);
  CHECK_THAT(trend.log.back().text, Catch::Matchers::Contains("the recording ended"));
}

TEST_CASE("on a bench that takes its time each reading is kept as it comes", "[power][bench][recording]") {
  Plan plan{.method = Method::recording, .settle_time = 0};
  plan.hookup = {.chains = {sensed("v", "mains", "Direct lead", 1)}, .computed = {}};
  plan.rate = 1e3;
  plan.reading = 0.5;
  plan.length = 2.2;
  sim::SimulatedBench bench(circuit(kLoad), 7, {}, true);
  const study::Surroundings around;
  std::vector<std::size_t> readings;
  REQUIRE(study::power::run(plan, bench, {.around = around, .keep = [&](const study::Point& p) -> Result<void> {
                                            readings.push_back(p.records.front().find("time")->size());
                                            return {};
                                          }}));
  // The first is long in coming, and is kept alone; on a busy machine those after it may come together.
  REQUIRE(readings.size() >= 2);
  CHECK(readings.front() == 1);
  CHECK(std::accumulate(readings.begin(), readings.end(), std::size_t{0}) == 5);
}

TEST_CASE("what a motor takes is heat, what turns and what is stored", "[power][bench]") {
  const std::string motor =
      "[pins]\n\"supply\" = \"m\"\n[branches]\n\"motor current\" = \"M.a\"\n[ratings]\n\"supply\" = { voltage = \"16 V\" }\n[part.M]\nkind = \"motor\"\nbetween = [\"m\", \"ground\"]\nvalue = \"22 mNm/A\"\nresistance = \"0.6 ohm\"\n"
      "inductance = \"0.4 mH\"\ninertia = \"4e-5 kgm2\"\nfriction = \"8 uNms\"\nload = \"18 mNm\"\ndrag = 1.1e-7\n";
  Plan plan{.method = Method::switch_on, .feed = Feed::supply, .pin = "supply", .supply_voltage = 12, .supply_limit = 30};
  plan.hookup = {.chains = {sensed("v", "supply", "Probe x10", 2), sensed("i", "motor current", "Current monitor 1 V/A", 20)}, .computed = {}};
  plan.hookup.chains[1].input.sensor.rating = 40;
  plan.rate = 50e3;
  plan.length = 0.5;
  const auto take = taken(plan, motor);
  if (take.error) FAIL(take.error->message);
  const auto waves = study::power::waveforms_of(take.points[0], {});
  REQUIRE(waves);
  const auto n = (*waves)->traces[0]->size();
  std::vector<double> v(n), i(n);
  REQUIRE((*waves)->traces[0]->read(0, v));
  REQUIRE((*waves)->traces[1]->read(0, i));
  const double dt = 1 / 50e3, R = 0.6, L = 0.4e-3, k = 22e-3, J = 4e-5;
  // How fast it turns, by what is left of the voltage; smoothed over a millisecond for what changes.
  double taken_in = 0, heat = 0, shaft = 0, w = 0;
  constexpr std::size_t kSpan = 50;
  const auto mean = [&](const std::vector<double>& x, std::size_t at) {
    double sum = 0;
    for (std::size_t j = at; j < at + kSpan; ++j) sum += x[j] / kSpan;
    return sum;
  };
  for (std::size_t at = kSpan; at + 2 * kSpan < n; at += kSpan) {
    const double vm = mean(v, at), im = mean(i, at), slope = (mean(i, at + kSpan) - mean(i, at - kSpan)) / (2 * kSpan * dt), span = kSpan * dt;
    w = std::max(0.0, (vm - R * im - L * slope) / k);
    for (std::size_t j = at; j < at + kSpan; ++j) {
      taken_in += v[j] * i[j] * dt;
      heat += R * i[j] * i[j] * dt;
    }
    shaft += (8e-6 * w + 18e-3 * std::tanh(w) + 1.1e-7 * w * w) * w * span;
  }
  const double stored = 0.5 * J * w * w + 0.5 * L * std::pow(mean(i, n - 2 * kSpan), 2);
  CHECK(heat + shaft + stored == Approx(taken_in).epsilon(5e-3));
}

TEST_CASE("preflight holds a power plan against ratings, ranges and what it is for", "[power][preflight]") {
  study::Surroundings around;
  around.limits = sim::SimulatedBench(circuit(kLoad), 1).limits();
  around.terminals = around.pins = {"mains"};
  around.ratings["mains"] = {.voltage = 300};
  auto plan = mains();
  CHECK(study::refusal(study::power::preflight(plan, around)));
  around.ratings["mains"] = {.voltage = 400};
  CHECK_FALSE(study::refusal(study::power::preflight(plan, around)));
  plan.voltage = 300;
  CHECK(has(study::power::preflight(plan, around), "source.limit"));
  plan = mains();
  plan.method = Method::switch_on;
  plan.hookup.chains[1].input.range.reset();
  plan.repeat = study::Repeat::every;
  auto found = study::power::preflight(plan, around);
  CHECK(has(found, "autorange.single_shot"));
  CHECK(has(found, "averaging.peak"));
  plan = mains();
  plan.cycles = 2;
  CHECK(has(study::power::preflight(plan, around), "periods.few"));
  around.settings = {{"class", "A"}};
  plan = mains();
  plan.rate = 2e3;
  CHECK(has(study::power::preflight(plan, around), "sampling.coarse"));
  plan.hookup.chains[1].input.sensor = *bench::find_stock_sensor("Coil 1 kA");
  plan.method = Method::recording;
  CHECK(has(study::power::preflight(plan, around), "sensor.no_dc"));
  CHECK(has(study::power::preflight(plan, around), "watch.missing"));

  for (const auto& bad : {std::pair{"voltage", "-1 V"}, {"frequency", "0 Hz"}, {"cycles", "0"}, {"rate", "100 Hz"}, {"rate", "1 GHz"}, {"feed", "three phases"}, {"contact", "S9"}, {"pin", "nowhere"}, {"third", "80 %"}, {"method", "x"}, {"length", "nan"}}) {
    CAPTURE(bad.first, bad.second);
    CHECK_FALSE(study::power::apply(mains(), bad.first, bad.second, around));
  }
  const auto kept = study::power::to_json(mains());
  const auto back = study::power::plan_from_json(kept);
  REQUIRE(back);
  CHECK(study::power::to_json(*back) == kept);
  auto wrong = kept;
  wrong["method"] = "weekly";
  CHECK_FALSE(study::power::plan_from_json(wrong));
}

}  // namespace power_bench
