#include "response_support.h"
#include "sim/simulated_bench.h"
#include "study/response/words.h"
#include "study/response/cursors.h"
#include "study/response/figures.h"
#include "study/response/kind.h"
#include "study/response/preflight.h"
#include "study/response/runner.h"

using namespace heron;
using namespace heron::study;
using namespace heron::test;
using std::numbers::pi;

namespace {

constexpr const char* kLowPass = R"(
[pins]
in = "in"
out = "out"
open = "nowhere"
[part.R1]
kind = "resistor"
between = ["in", "out"]
value = "1.6 kohm"
[part.C1]
kind = "capacitor"
between = ["out", "ground"]
value = "1 uF"
[part.R2]
kind = "resistor"
between = ["nowhere", "ground"]
value = "1 Mohm"
)";
constexpr double kCorner = 1 / (2 * pi * 1.6e3 / (1 + 1.6e-3) * 1e-6);

response::Plan noise_plan(response::Method method) {
  return {.drive_pin = "in",
          .hookup = response::direct_hookup("in", "out"),
          .start = 10,
          .stop = 400,
          .method = method,
          .settle_time = 50e-3,
          .noise_rms = 0.3,
          .resolution = 5,
          .noise_averages = 48};
}

}  // namespace

TEST_CASE("noise and multitone find the response of a low-pass within what they say", "[long][response][noise]") {
  for (const auto method : {response::Method::noise, response::Method::white, response::Method::multitone}) {
    INFO(response::method_text(method));
    const auto curve = response::reduce_take(points_taken(noise_plan(method), kLowPass));
    if (!curve) FAIL(curve.error().message);
    CHECK(curve->points.size() > 70);
    CHECK(curve->points.front().frequency >= 9.9);
    CHECK(curve->points.back().frequency <= 401);
    double squares = 0;
    for (const auto& p : curve->points) {
      const double x = p.frequency / kCorner;
      INFO(p.frequency << " Hz, coherence " << *p.coherence);
      CHECK(*p.coherence > 0.95);
      // Leakage of the window over a sloping phase biases the estimate by a few thousandths.
      CHECK(std::abs(p.gain_db + 10 * std::log10(1 + x * x)) < 5 * *p.u_gain_db + 0.06);
      CHECK(std::abs(p.phase_deg + std::atan(x) * 180 / pi) < 5 * *p.u_phase_deg + 1);
      squares += std::pow((p.gain_db + 10 * std::log10(1 + x * x)) / std::hypot(*p.u_gain_db, 0.03), 2);
    }
    CHECK(squares / double(curve->points.size()) < 2.5);
    response::Settings settings;
    settings.reference = "first";
    const auto reading = response::read(*curve, settings, {"corner.high", "coherence.min(20,300)"});
    const auto* corner = reading.find("corner.high");
    REQUIRE(corner);
    CHECK(std::abs(corner->value - kCorner) < 4 * *corner->u + 0.01 * kCorner);
    CHECK(*corner->u < 0.04 * kCorner);
    CHECK(reading.find("coherence.min(20,300)")->value > 0.95);
    CHECK_FALSE(find_doubt(reading, "coherence.low"));
    CHECK_FALSE(find_doubt(reading, "periods.few"));
  }
}

TEST_CASE("a response that is not connected has no coherence, and the doubt says what it means", "[response][noise]") {
  auto plan = noise_plan(response::Method::noise);
  plan.hookup.chains[1].input.planted = bench::Planted{.sensor = {}, .pin = "open"};
  const auto curve = response::reduce_take(points_taken(plan, kLowPass));
  REQUIRE(curve);
  const auto reading = response::read(*curve, {}, {"corner.high"});
  const auto* low = find_doubt(reading, "coherence.low");
  REQUIRE(low);
  CHECK(low->severity == Severity::serious);
  CHECK_THAT(low->remedy, Catch::Matchers::Contains("connected"));
  CHECK_FALSE(reading.find("corner.high"));
  for (const auto& a : reading.absent) {
    INFO(a.key);
    CHECK_FALSE(a.reason.empty());
  }
}

TEST_CASE("lines of low coherence stay out of figures", "[response][noise]") {
  // A table with a false peak that its coherence gives away.
  Record table;
  std::vector<double> f, gain, phase, coherence;
  for (int k = 0; k < 60; ++k) {
    f.push_back(10 * std::pow(10, k / 20.0));
    gain.push_back(k == 30 ? 20 : -10 * std::log10(1 + std::pow(f.back() / 1e3, 2)));
    phase.push_back(-std::atan(f.back() / 1e3) * 180 / pi);
    coherence.push_back(k == 30 ? 0.4 : 0.99);
  }
  table.channels = {{.role = "frequency", .numbers = f},
                    {.role = "gain", .numbers = gain},
                    {.role = "phase", .numbers = phase},
                    {.role = "coherence", .numbers = coherence}};
  const auto curve = response::reduce_table(table);
  REQUIRE(curve);
  const Point point{.setting = nlohmann::json::object(), .records = {table}};
  const auto read_with = [&](const char* limit) {
    response::Settings settings;
    REQUIRE(response::set(settings, "coherence_limit", limit));
    return response::read(*response::reduce_take({point}, settings), settings, {"coherence.min(100,2k)"});
  };
  const auto strict = read_with("0.8"), lax = read_with("0.3");
  CHECK(strict.find("corner.high")->value == Approx(1e3).epsilon(0.01));
  CHECK(strict.find("coherence.min(100,2k)")->value == Approx(0.4));
  CHECK_FALSE(strict.find("peak.frequency"));
  CHECK(lax.find("peak.frequency")->value == Approx(f[30]).epsilon(1e-3));
  CHECK(find_doubt(strict, "coherence.low"));
  CHECK_FALSE(find_doubt(lax, "coherence.low"));
  table.channels[3].numbers[4] = 1.2;
  CHECK_FALSE(response::reduce_table(table));
}

TEST_CASE("records over time are read as noise when told so, and refused with a word when not", "[response][noise]") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  std::vector<double> time, x, y;
  double state = 0;
  const double rate = 8000, corner = 300, k = 1 - std::exp(-2 * pi * corner / rate);
  for (int i = 0; i < 60'000; ++i) {
    x.push_back(normal(random));
    state += k * (x.back() - state);
    time.push_back(double(i) / rate);
    y.push_back(state + 0.02 * normal(random));
  }
  Record record;
  record.channels = {
      {.role = "time", .numbers = time}, {.role = "stimulus", .numbers = x}, {.role = "response", .numbers = y}};
  const auto analysed = [&](const SettingsText& settings) {
    return response::kind().analyse({{.setting = nlohmann::json::object(), .records = {record}}}, settings,
                                    {"gain@100Hz"});
  };
  const auto refused = analysed({});
  REQUIRE_FALSE(refused);
  CHECK_THAT(refused.error().message, Catch::Matchers::Contains("method=noise"));
  const auto read = analysed({{"method", "noise"}});
  if (!read) FAIL(read.error().message);
  // |H| of the one-pole recursion y += k (x - y): k/sqrt(1 - 2 (1-k) cos w + (1-k)^2), a fact of its z-transform.
  const double w = 2 * pi * 100 / rate, exact = k / std::sqrt(1 - 2 * (1 - k) * std::cos(w) + (1 - k) * (1 - k));
  const auto* gain = read->reading.find("gain@100Hz");
  REQUIRE(gain);
  CHECK(std::abs(gain->value - 20 * std::log10(exact)) < 4 * *gain->u + 0.05);
  CHECK(analysed({{"method", "noise"}, {"segment", "256"}})->curve->x.size() < read->curve->x.size());
  SECTION("samples out of step, times that repeat, too few samples") {
    record.channels[0].numbers[100] += 0.4 / rate;
    CHECK_THAT(analysed({{"method", "noise"}}).error().message, Catch::Matchers::Contains("evenly"));
    record.channels[0].numbers[100] = record.channels[0].numbers[99];
    CHECK_THAT(analysed({{"method", "noise"}}).error().message, Catch::Matchers::Contains("Row 101"));
    for (auto& c : record.channels) c.numbers.resize(6);
    CHECK_FALSE(analysed({{"method", "noise"}}));
  }
}

TEST_CASE("how noise is driven and read follows from the band and the resolution", "[response][noise]") {
  auto plan = noise_plan(response::Method::noise);
  const auto timing = response::noise_timing(plan, 100e6);
  CHECK(timing.rate >= 2.5 * plan.stop);
  CHECK(timing.resolution == Approx(5).epsilon(0.01));
  CHECK(timing.records * timing.segments_each >= plan.noise_averages);
  const auto wave = response::noise_wave(plan, timing, 3);
  double squares = 0, highest = 0;
  for (const auto& [t, v] : wave.points) {
    squares += v * v;
    highest = std::max(highest, std::abs(v));
  }
  CHECK(std::sqrt(squares / double(wave.points.size())) == Approx(0.3).epsilon(1e-3));
  CHECK(highest < 1.3 * response::kCrest * 0.3);
  CHECK(response::noise_wave(plan, timing, 3).points == wave.points);
  CHECK(response::noise_wave(plan, timing, 4).points != wave.points);
  plan.method = response::Method::multitone;
  CHECK(response::noise_wave(plan, timing, 3).period == Approx(double(timing.segment) / timing.rate));
  plan.resolution = 1e3;
  CHECK_FALSE(response::check(plan));
  plan.resolution = 5;
  plan.noise_averages = 1;
  CHECK_FALSE(response::check(plan));
  plan.noise_averages = 48;
  plan.noise_rms = 5;
  sim::SimulatedBench bench(*sim::read_circuit(kLowPass, "circuit"), 1);
  const auto findings = response::preflight(plan, bench.limits(), {});
  CHECK(std::any_of(findings.begin(), findings.end(), [](const Doubt& d) { return d.key == "source.limit"; }));
}
