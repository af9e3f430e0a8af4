#include <catch2/catch.hpp>
#include <fstream>
#include <sstream>

#include "signal/tone.h"
#include "sim/simulated_bench.h"
#include "support.h"

using namespace heron;
using namespace heron::bench;
using std::numbers::pi;

namespace {

sim::Circuit circuit(const std::string& text) {
  auto read = sim::read_circuit(text, "bench.toml");
  if (!read) FAIL(read.error().message);
  return *read;
}

/// A terminal with a resistor to ground, and the branch its current flows in.
sim::Circuit resistor(double ohms, const std::string& ratings = "") {
  return circuit("[pins]\n\"in\" = \"in\"\n[branches]\n\"i\" = \"R1.a\"\n" + ratings +
                 "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"ground\"]\nvalue = " + std::to_string(ohms) +
                 "\n");
}

Sensor stock(const char* name) {
  const auto* s = find_stock_sensor(name);
  REQUIRE(s);
  return *s;
}

/// A sensor without errors of its own, so that what is seen is its physics.
Sensor exact(const char* name) {
  auto s = stock(name);
  s.offset = s.u_factor = s.noise = 0;
  return s;
}

signal::Tone tone_of(const ChannelRecord& record, double rate, double f) {
  const auto fit = signal::fit_tone(record.volts(), rate, f);
  REQUIRE(fit);
  return *fit;
}

/// Peak at the input for a sine into a circuit, through one set-up.
signal::Tone seen(const sim::Circuit& c, InputSetup input, double f, double pp = 2, double source = 50) {
  sim::SimulatedBench bench(c, 5);
  const auto ok = bench.connect({input});
  if (!ok) FAIL(ok.error().message);
  REQUIRE(bench.drive({.pin = "in", .frequency = f, .peak_to_peak = pp, .source_resistance = source}));
  REQUIRE(bench.wait(0.05 + 20 / f, {}));
  const double rate = bench.nearest_rate(400 * f);
  const auto capture = bench.capture(rate, int(std::lround(16 * rate / f)), {});
  if (!capture) FAIL(capture.error().message);
  return tone_of(capture->channels[0], capture->sample_rate, f);
}

}  // namespace

TEST_CASE("every sensor loads, divides and filters as it says", "[bench][sensor]") {
  const double f = 10e3, v = 1.0;
  SECTION("a x10 probe divides by ten on 1 Mohm and loads with 10 Mohm and 12 pF") {
    const double source = 100e3;
    const auto read = seen(resistor(1e9), {.pin = "in", .sensor = exact("Probe x10")}, f, 2 * v, source);
    const std::complex<double> y(1 / 10e6, 2 * pi * f * 12e-12);
    CHECK(read.peak == Approx(0.1 * v / std::abs(1.0 + source * y)).epsilon(3e-3));
  }
  SECTION("a direct lead loads with 1 Mohm and 15 pF, or with 50 ohm") {
    const double source = 100e3;
    const std::complex<double> y(1e-6, 2 * pi * f * 15e-12);
    CHECK(seen(resistor(1e9), {.pin = "in", .sensor = exact("Direct lead")}, f, 2 * v, source).peak ==
          Approx(v / std::abs(1.0 + source * y)).epsilon(3e-3));
    CHECK(seen(resistor(1e9), {.pin = "in", .sensor = exact("Direct lead"), .ohms = 50}, f).peak ==
          Approx(0.5 * v).epsilon(3e-3));
  }
  SECTION("a slow sensor has its pole, a coil also its lower corner") {
    auto slow = exact("Clamp 500 A, slow");
    slow.factor = 1;
    const double i = v / (50 + 50);
    for (const double at : {9e3, 90e3, 400e3}) {
      const auto read = seen(resistor(50), {.pin = "i", .sensor = slow}, at);
      CHECK(read.peak == Approx(i / std::hypot(1, at / 90e3)).epsilon(5e-3));
    }
    auto coil = exact("Coil 1 kA");
    coil.factor = 1;
    for (const double at : {3.0, 9.0, 90.0}) {
      const auto read = seen(resistor(50), {.pin = "i", .sensor = coil}, at);
      CHECK(read.peak == Approx(i * (at / 9) / std::hypot(1, at / 9)).epsilon(5e-3));
    }
  }
  SECTION("a shunt adds its resistance and its inductance") {
    auto shunt = exact("Shunt 1 ohm");
    shunt.inductance = 1e-6;
    const double at = 1e6, i = v / std::abs(std::complex<double>(50 + 50 + 1, 2 * pi * at * 1e-6));
    CHECK(seen(resistor(50), {.pin = "i", .sensor = shunt}, at).peak ==
          Approx(i * std::abs(std::complex<double>(1, 2 * pi * at * 1e-6))).epsilon(5e-3));
    CHECK(seen(resistor(50), {.pin = "i", .sensor = shunt}, 1e3).peak == Approx(v / 101).epsilon(3e-3));
  }
  SECTION("a current transformer gives its factor into 50 ohm only, and not below its corner") {
    auto ct = exact("Current transformer 20 A");
    ct.factor = 2;
    ct.saturation = 0;
    const double i = v / 100;
    CHECK(seen(resistor(50), {.pin = "i", .sensor = ct, .ohms = 50}, 100e3).peak == Approx(2 * i).epsilon(5e-3));
    CHECK(seen(resistor(50), {.pin = "i", .sensor = ct, .ohms = 50}, 450).peak ==
          Approx(2 * i / std::sqrt(2)).epsilon(1e-2));
    CHECK(seen(resistor(50), {.pin = "i", .sensor = ct, .ohms = 1e6}, 100e3).peak > 10 * i);
  }
  SECTION("AC coupling has its corner at 7 Hz; an attenuator divides") {
    CHECK(seen(resistor(1e3), {.pin = "in", .sensor = exact("Direct lead"), .coupling = Coupling::ac}, 7, 2 * v, 1)
              .peak == Approx(v / std::sqrt(2)).epsilon(1e-2));
    CHECK(seen(resistor(1e3), {.pin = "in", .sensor = exact("Direct lead"), .attenuation = 10}, 1e3, 2 * v, 1).peak ==
          Approx(v / 10).epsilon(3e-3));
  }
  SECTION("a differential probe takes the difference, and lets the common mode through as its rejection falls") {
    const auto pair = circuit(
        "[pins]\n\"in\" = \"in\"\n\"tap\" = \"tap\"\n[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", "
        "\"tap\"]\nvalue = 10\n"
        "[part.R2]\nkind = \"resistor\"\nbetween = [\"tap\", \"ground\"]\nvalue = 990\n");
    auto probe = exact("Differential probe x1");
    const double difference = v * 10 / 1050, common = v * (1000 + 990) / 2 / 1050;
    const auto low = seen(pair, {.pin = "in", .against = "tap", .sensor = probe}, 1e3);
    CHECK(low.peak == Approx(difference + common * std::pow(10, -86 / 20.0)).epsilon(5e-3));
    // Far above the rejection's corner the leak has grown by 20 dB a decade.
    probe.rejection_db = 60;
    probe.rejection_corner = 1e3;
    const auto high = seen(pair, {.pin = "in", .against = "tap", .sensor = probe}, 500e3);
    const double leak = common * 1e-3 * 500;
    CHECK(high.peak == Approx(std::abs(std::complex<double>(difference, leak))).epsilon(0.02));
  }
}

TEST_CASE("sensors come late and off zero as they say, and keep their errors from take to take", "[bench][sensor]") {
  const double f = 100e3;
  auto late = exact("Clamp 500 A, slow");
  late.bandwidth = 0;
  late.factor = 10;
  sim::SimulatedBench bench(resistor(50), 5);
  REQUIRE(bench.connect({{.pin = "in", .sensor = exact("Direct lead")}, {.pin = "i", .sensor = late}}));
  REQUIRE(bench.drive({.pin = "in", .frequency = f, .peak_to_peak = 2}));
  REQUIRE(bench.wait(1e-3, {}));
  const auto capture = bench.capture(50e6, 16 * 500, {});
  REQUIRE(capture);
  const auto a = tone_of(capture->channels[0], capture->sample_rate, f),
             b = tone_of(capture->channels[1], capture->sample_rate, f);
  CHECK(std::remainder(a.phase - b.phase, 2 * pi) / (2 * pi * f) == Approx(1.1e-6).margin(2e-9));

  const auto offset = [&](std::uint64_t seed) {
    sim::SimulatedBench one(resistor(50), seed);
    auto clamp = stock("Clamp 40 A");
    REQUIRE(one.connect({{.pin = "i", .range = 0.05, .sensor = clamp}}));
    const auto quiet = one.capture(1e6, 20000, {});
    REQUIRE(quiet);
    double sum = 0;
    for (const double v : quiet->channels[0].volts()) sum += v;
    return sum / 20000;
  };
  CHECK(std::abs(offset(1)) > 1e-4);
  CHECK(std::abs(offset(1)) < 4 * 4e-3);
  // The input's own offset differs between benches, the sensor's does not.
  CHECK(offset(1) == Approx(offset(2)).margin(4 * 5e-4 * 0.05 * 1.5));
}

TEST_CASE("generators give every waveform within their limits", "[bench]") {
  const auto wave_seen = [](Waveform wave, double rate, int samples) {
    sim::SimulatedBench bench(resistor(1e6), 3);
    REQUIRE(bench.connect({{.pin = "in", .range = 10, .sensor = exact("Direct lead")}}));
    const auto ok = bench.generate({.pin = "in", .wave = wave});
    if (!ok) FAIL(ok.error().message);
    const auto capture = bench.capture(rate, samples, {});
    if (!capture) FAIL(capture.error().message);
    return capture->channels[0].volts();
  };
  const double tolerance = 0.02;  // offset, gain, noise and rounding of a 10 V range
  SECTION("a pulse is high for its width") {
    const auto v = wave_seen(pulse(0, 4, 1e-6, 1e-6, 20e-6, 100e-6), 10e6, 2000);
    int high = 0;
    for (const double x : v) high += x > 2;
    CHECK(high == Approx(400).margin(4));
    CHECK(*std::max_element(v.begin(), v.end()) == Approx(4).margin(tolerance));
  }
  SECTION("a triangle and a staircase go where they are told") {
    const auto t = wave_seen(triangle(-2, 2, 0.5, 1e-3), 1e6, 1000);
    for (int k = 50; k < 950; k += 50)
      CHECK(t[std::size_t(k)] == Approx(k < 500 ? -2 + 8e-3 * (k + 0.5) : 6 - 8e-3 * (k + 0.5)).margin(tolerance));
    const auto s = wave_seen(staircase(1, 4, 4, 1e-3, 1e-6), 100e3, 400);
    for (int k = 0; k < 4; ++k) CHECK(s[std::size_t(100 * k + 50)] == Approx(1 + k).margin(tolerance));
  }
  SECTION("a burst stops after its cycles, a double pulse gives two") {
    Waveform burst{.shape = Waveform::Shape::sine, .peak = 3, .frequency = 10e3, .phase = -pi / 2, .cycles = 3};
    const auto b = wave_seen(burst, 1e6, 600);
    CHECK(*std::max_element(b.begin(), b.begin() + 300) == Approx(3).margin(tolerance));
    for (std::size_t k = 310; k < 600; k += 20) CHECK(b[k] == Approx(0).margin(tolerance));
    const auto d = wave_seen(double_pulse(0, 5, 20e-9, 10e-6, 3e-6, 2e-6, 1e-6), 10e6, 300);
    int edges = 0;
    for (std::size_t k = 1; k < d.size(); ++k) edges += d[k - 1] < 2.5 && d[k] >= 2.5;
    CHECK(edges == 2);
  }
  SECTION("noise has its rms and none of it is missed") {
    Waveform noise{.shape = Waveform::Shape::noise, .rms = 0.5, .bandwidth = 50e3, .seed = 11};
    const auto v = wave_seen(noise, 1e6, 40000);
    double square = 0;
    for (const double x : v) square += x * x / 40000;
    CHECK(std::sqrt(square) == Approx(0.5).epsilon(0.05));
  }
  SECTION("what it cannot give is refused with the limit") {
    using Catch::Matchers::Contains;
    sim::SimulatedBench bench(resistor(1e3, "[ratings]\n\"in\" = \"6 V\"\n"), 1);
    const auto refused = [&](GeneratorSetup setup) {
      setup.pin = "in";
      const auto ok = bench.generate(setup);
      return ok ? std::string() : ok.error().message;
    };
    CHECK_THAT(refused({.wave = pulse(0, 12, 1e-6, 1e-6, 1e-5, 1e-4)}), Contains("10 V peak"));
    CHECK_THAT(refused({.wave = pulse(0, 8, 1e-6, 1e-6, 1e-5, 1e-4)}), Contains("rating is 6 V"));
    CHECK_THAT(refused({.wave = pulse(0, 4, 1e-9, 1e-9, 1e-5, 1e-4)}), Contains("faster than"));
    CHECK_THAT(refused({.generator = 2, .wave = pulse(0, 1, 1e-6, 1e-6, 1e-5, 1e-4)}), Contains("no generator 3"));
    CHECK_THAT(refused({.wave = {.shape = Waveform::Shape::lines, .points = {{0, 1}, {0, 2}}}}),
               Contains("times must rise"));
    CHECK_THAT(refused({.wave = {.shape = Waveform::Shape::lines, .points = {{0, NAN}}}}), Contains("numbers"));
  }
}

TEST_CASE("fifty ohm inputs protect themselves", "[bench]") {
  // 20 V pk-pk behind 1 ohm is 6.9 V rms in 50 ohm: more than the 5 V it bears.
  sim::SimulatedBench bench(resistor(1e3), 1);
  REQUIRE(bench.connect({{.pin = "in", .range = 20, .sensor = exact("Direct lead"), .ohms = 50}}));
  REQUIRE(bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 20, .source_resistance = 1}));
  const auto capture = bench.capture(1e6, 5000, {});
  REQUIRE_FALSE(capture);
  CHECK(capture.error().fault == Fault::bench);
  CHECK_THAT(capture.error().message, Catch::Matchers::Contains("5 V is the limit"));
  // A DC source of 50 V into 50 ohm is refused as well.
  sim::SimulatedBench other(resistor(1e3), 1);
  REQUIRE(other.connect({{.pin = "in", .range = 50, .sensor = exact("Direct lead"), .ohms = 50}}));
  REQUIRE(other.supply({.pin = "in", .voltage = 50, .current_limit = 5}));
  CHECK_FALSE(other.capture(1e6, 1000, {}));
}

TEST_CASE("a source-measure channel forces, measures and stops at its compliance", "[bench][source]") {
  sim::SimulatedBench bench(resistor(1e3, "[ratings]\n\"in\" = { voltage = \"50 V\", current = \"0.5 A\" }\n"), 4);
  SECTION("voltage forced") {
    REQUIRE(bench.source({.pin = "in", .value = 5, .compliance = 20e-3}));
    const auto r = bench.measure(0, 1e-3, 20e-3, {});
    REQUIRE(r);
    CHECK(r->current == Approx(5e-3).margin(4 * r->u_current));
    CHECK(r->voltage == Approx(5).margin(4 * r->u_voltage));
    CHECK(r->current_range == 10e-3);
    CHECK_FALSE(r->at_compliance);
  }
  SECTION("compliance really limits") {
    REQUIRE(bench.source({.pin = "in", .value = 30, .compliance = 10e-3}));
    const auto r = bench.measure(0, 1e-3, 20e-3, {});
    REQUIRE(r);
    CHECK(r->at_compliance);
    CHECK(r->current <= 10e-3 * 1.001 + 4 * r->u_current);
    CHECK(r->current > 9.8e-3);
    CHECK(r->voltage == Approx(r->current * 1e3).epsilon(2e-3));
  }
  SECTION("current forced, voltage limited") {
    REQUIRE(bench.source({.pin = "in", .force = Force::current, .value = 2e-3, .compliance = 10}));
    auto r = bench.measure(0, 1e-3, 20e-3, {});
    REQUIRE(r);
    CHECK(r->voltage == Approx(2).margin(4 * r->u_voltage));
    REQUIRE(bench.source({.pin = "in", .force = Force::current, .value = 20e-3, .compliance = 10}));
    r = bench.measure(0, 1e-3, 20e-3, {});
    REQUIRE(r);
    CHECK(r->at_compliance);
    CHECK(r->voltage < 10.1);
  }
  SECTION("two wires read the leads along, four do not") {
    sim::SimulatedBench low(resistor(1), 4);
    REQUIRE(low.source({.pin = "in", .force = Force::current, .value = 0.5, .compliance = 5, .four_wire = false}));
    const auto two = low.measure(0, 1e-3, 20e-3, {});
    REQUIRE(low.source({.pin = "in", .force = Force::current, .value = 0.5, .compliance = 5, .four_wire = true}));
    const auto four = low.measure(0, 1e-3, 20e-3, {});
    REQUIRE(two);
    REQUIRE(four);
    CHECK(two->voltage / two->current == Approx(1.2).epsilon(3e-3));
    CHECK(four->voltage / four->current == Approx(1.0).epsilon(3e-3));
  }
  SECTION("nothing above a rating") {
    CHECK_FALSE(bench.source({.pin = "in", .value = 60, .compliance = 1e-3}));
    CHECK_FALSE(bench.source({.pin = "in", .value = 5, .compliance = 1}));
    CHECK_FALSE(bench.source({.pin = "in", .force = Force::current, .value = 1e-3, .compliance = 60}));
    CHECK_FALSE(bench.source({.channel = 5, .pin = "in", .value = 1}));
    CHECK_FALSE(bench.measure(1, 0, 1e-3, {}));
  }
  SECTION("a diode's current is read over decades, each on its range") {
    sim::SimulatedBench diode(circuit("[pins]\n\"in\" = \"in\"\n[part.D1]\nkind = \"diode\"\nanode = \"in\"\ncathode = "
                                      "\"ground\"\nsaturation_current = \"10 fA\"\n"),
                              4);
    const double vt = 1.380649e-23 * 298.15 / 1.602176634e-19;
    for (const double v : {0.4, 0.5, 0.6, 0.7}) {
      REQUIRE(diode.source({.pin = "in", .value = v, .compliance = 0.1}));
      const auto r = diode.measure(0, 1e-3, 20e-3, {});
      REQUIRE(r);
      // Forced in steps of 0.1 mV: compared at what it was set to.
      const double step = 5e-5 * (v <= 0.2 ? 0.2 : 2), set = std::round(v / step) * step;
      CHECK(r->current == Approx(1e-14 * (std::exp(set / vt) - 1)).epsilon(1e-3).margin(4 * r->u_current));
    }
  }
}

TEST_CASE("the DC source folds to its current limit, the load takes what it is asked", "[bench][source]") {
  const auto reading = [](const sim::Circuit& c, const std::function<void(sim::SimulatedBench&)>& set) {
    sim::SimulatedBench bench(c, 4);
    REQUIRE(bench.connect({{.pin = "in", .range = 50, .sensor = exact("Direct lead")},
                           {.pin = "i", .range = 10, .sensor = exact("Shunt 1 ohm")}}));
    set(bench);
    REQUIRE(bench.wait(0.01, {}));
    const auto capture = bench.capture(1e5, 2000, {});
    if (!capture) FAIL(capture.error().message);
    std::pair<double, double> mean{};
    for (const double v : capture->channels[0].volts()) mean.first += v / 2000;
    for (const double v : capture->channels[1].volts()) mean.second += v / 2000;
    return mean;
  };
  const auto free =
      reading(resistor(9), [](auto& b) { REQUIRE(b.supply({.pin = "in", .voltage = 20, .current_limit = 5})); });
  CHECK(free.second == Approx(2).margin(0.03));
  const auto folded =
      reading(resistor(9), [](auto& b) { REQUIRE(b.supply({.pin = "in", .voltage = 40, .current_limit = 2.5})); });
  CHECK(folded.second == Approx(2.5).margin(0.05));
  CHECK(folded.first == Approx(25).margin(0.3));
  const auto loaded = [&](LoadMode mode, double value) {
    return reading(resistor(1e3),
                   [&](auto& b) {
                     REQUIRE(b.supply({.pin = "in", .voltage = 10, .current_limit = 1.5}));
                     // The supply is up before the load comes on: a constant power has a second point to stand at.
                     REQUIRE(b.wait(1e-3, {}));
                     REQUIRE(b.load({.pin = "in", .mode = mode, .value = value}));
                   })
        .first;
  };
  CHECK(loaded(LoadMode::current, 1) == Approx(10).margin(0.1));
  CHECK(loaded(LoadMode::current, 3) < 1);
  CHECK(loaded(LoadMode::resistance, 4) == Approx(1.5 * 4).epsilon(0.03));
  CHECK(loaded(LoadMode::power, 12) == Approx(10).margin(0.1));
  sim::SimulatedBench bench(resistor(1), 1);
  CHECK_FALSE(bench.supply({.pin = "in", .voltage = 90, .current_limit = 1}));
  CHECK_FALSE(bench.load({.pin = "in", .mode = LoadMode::power, .value = 500}));
}

TEST_CASE("a record begins at its edge, with what was before it", "[bench][trigger]") {
  sim::SimulatedBench bench(resistor(1e4), 2);
  REQUIRE(bench.connect({{.pin = "in", .range = 5, .sensor = exact("Direct lead")}}));
  REQUIRE(bench.generate({.pin = "in", .wave = pulse(0, 4, 1e-6, 1e-6, 50e-6, 400e-6)}));
  const auto rising = bench.capture_on({.level = 2, .pre_trigger = 0.25, .time_out = 5e-3}, 10e6, 1000, {});
  REQUIRE(rising);
  REQUIRE(rising->trigger_at);
  const auto v = rising->channels[0].volts();
  CHECK(*rising->trigger_at == Approx(0.25 * 999 / 10e6).margin(2e-7));
  CHECK(v[200] < 0.1);
  CHECK(v[300] > 3.8);
  const auto falling =
      bench.capture_on({.level = 2, .rising = false, .pre_trigger = 0.25, .time_out = 5e-3}, 10e6, 1000, {});
  REQUIRE(falling);
  CHECK(falling->channels[0].volts()[200] > 3.8);
  CHECK(falling->channels[0].volts()[300] < 0.1);
  const auto never = bench.capture_on({.level = 4.5, .time_out = 2e-3}, 10e6, 1000, {});
  // What there was instead is delivered, and says that no edge began it.
  REQUIRE(never);
  CHECK_FALSE(never->trigger_at);
  CHECK(never->channels[0].counts.size() == 1000);
  CHECK_FALSE(bench.capture_on({.input = 3}, 1e6, 100, {}));
  REQUIRE(bench.connect({{.pin = "in", .sensor = exact("Direct lead")}}));
  CHECK_THAT(bench.capture_on({.level = 2}, 1e6, 100, {}).error().message, Catch::Matchers::Contains("fixed range"));
}

TEST_CASE("a paced bench takes the time that a real one would", "[bench][slow]") {
  sim::SimulatedBench bench(resistor(1e3), 1, {}, true);
  CHECK(bench.limits().paced);
  REQUIRE(bench.connect({{.pin = "in", .range = 1, .sensor = exact("Direct lead")}}));
  REQUIRE(bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 1}));
  const auto start = std::chrono::steady_clock::now();
  REQUIRE(bench.wait(0.3, {}));
  CHECK(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() > 0.28);
}

TEST_CASE("the circuit's own noise is what theory says, at the density and over the band", "[bench][noise]") {
  // 4kTR of 1 Mohm parallel to the input's 1 Mohm and 15 pF: kT/C over all frequencies, whatever R is.
  const auto c = circuit(
      "[pins]\n\"in\" = \"in\"\n[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"ground\"]\nvalue = 1e6\n"
      "[part.C1]\nkind = \"capacitor\"\nbetween = [\"in\", \"ground\"]\nvalue = 1e-12\n");
  sim::SimulatedBench bench(c, 8);
  REQUIRE(bench.connect({{.pin = "in", .range = 0.02, .sensor = exact("Direct lead")}}));
  const auto capture = bench.capture(10e6, 1 << 17, {});
  REQUIRE(capture);
  const auto v = capture->channels[0].volts();
  double mean = 0, square = 0;
  for (const double x : v) mean += x / double(v.size());
  for (const double x : v) square += (x - mean) * (x - mean) / double(v.size());
  const double circuit_part = 1.380649e-23 * 298.15 / 16e-12,
               input = std::pow(12e-9, 2) * pi / 2 * 25e6 + std::pow(4e-5 * 0.02, 2),
               rounding = std::pow(0.02 / 8192, 2) / 12;
  CHECK(std::sqrt(square) == Approx(std::sqrt(circuit_part + input + rounding)).epsilon(0.03));
}

TEST_CASE("docs/bench.md shows the instruments' own numbers", "[docs]") {
  std::ifstream file(std::string(HERON_SOURCE) + "/docs/bench.md");
  std::stringstream text;
  text << file.rdbuf();
  for (const auto& table : sim::data_sheets())
    for (const auto& [what, how] : table.rows) {
      INFO(table.title << ": " << what);
      CHECK_THAT(text.str(), Catch::Matchers::Contains("| " + what + " | " + how + " |"));
    }
}
