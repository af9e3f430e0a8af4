#include <catch2/catch.hpp>
#include <complex>

#include "signal/tone.h"
#include "sim/simulated_bench.h"
#include "sim/transient.h"
#include "support.h"

using namespace heron;
using std::numbers::pi;
using Complex = std::complex<double>;

namespace {

sim::Circuit circuit(const std::string& text) {
  auto read = sim::read_circuit(text, "test.toml");
  if (!read) FAIL(read.error().message);
  return *read;
}

std::string part(const std::string& name, const std::string& kind, const std::string& a, const std::string& b,
                 const std::string& rest) {
  return "[part." + name + "]\nkind = \"" + kind + "\"\nbetween = [\"" + a + "\", \"" + b + "\"]\n" + rest + "\n";
}

const std::string kPins = "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n";

const std::string kOpAmp =
    "[part.U1]\nkind = \"op amp\"\nplus = \"in\"\nminus = \"fb\"\nout = \"out\"\ngain_bandwidth = \"1 "
    "MHz\"\nopen_loop_gain = \"100 dB\"\n"
    "rail_high = \"4 V\"\nrail_low = \"-4 V\"\noutput_resistance = \"100 ohm\"\n";

std::string non_inverting() {
  return kPins + kOpAmp + part("R1", "resistor", "out", "fb", "value = \"9 kohm\"") +
         part("R2", "resistor", "fb", "ground", "value = \"1 kohm\"") +
         part("R9", "resistor", "in", "ground", "value = \"100 kohm\"");
}

/// Gain of the bench's two inputs at one frequency, from its raw samples by the sine fit.
struct Measured {
  double gain_db, phase_deg, u_gain_db, u_phase_deg;
};
Measured measure(const std::string& text, double f, double level_pp = 0.5, std::uint64_t seed = 1) {
  sim::SimulatedBench bench(circuit(text), seed);
  REQUIRE(bench.connect({{"in", {}}, {"out", {}}}));
  REQUIRE(bench.drive({.pin = "in", .frequency = f, .peak_to_peak = level_pp}));
  REQUIRE(bench.wait(0.2 + 20 / f, {}));
  const double rate = bench.nearest_rate(f * 512);
  const auto capture = bench.capture(rate, int(std::lround(8 / f * rate)), {});
  REQUIRE(capture);
  const auto x = signal::fit_tone(capture->channels[0].volts(), capture->sample_rate, f);
  const auto y = signal::fit_tone(capture->channels[1].volts(), capture->sample_rate, f);
  REQUIRE(x);
  REQUIRE(y);
  const double u_scale = std::sqrt(2.0) * capture->channels[0].u_gain,
               u_delay = std::sqrt(2.0) * capture->channels[0].u_delay;
  return {20 * std::log10(y->peak / x->peak), std::remainder((y->phase - x->phase) * 180 / pi, 360.0),
          8.686 * std::hypot(std::hypot(x->u_peak / x->peak, y->u_peak / y->peak), u_scale),
          180 / pi * std::hypot(std::hypot(x->u_phase, y->u_phase), 2 * pi * f * u_delay)};
}

/// The input's own loading, which is part of what is measured: 1 Mohm parallel 15 pF.
Complex input_admittance(Complex s) { return 1e-6 + s * 15e-12; }

}  // namespace

TEST_CASE("measured transfer functions are those of the textbook", "[sim][bench]") {
  struct Row {
    std::string name, text;
    std::function<Complex(Complex)> h;
  };
  const double r = 1.6e3, c = 10e-9, l = 1e-3, rl = 2;
  const std::vector<Row> rows = {{"RC low-pass",
                                  kPins + part("R1", "resistor", "in", "out", "value = \"1.6 kohm\"") +
                                      part("C1", "capacitor", "out", "ground", "value = \"10 nF\""),
                                  [=](Complex s) { return 1.0 / (1.0 + r * (s * c + input_admittance(s))); }},
                                 {"CR high-pass",
                                  kPins + part("C1", "capacitor", "in", "out", "value = \"10 nF\"") +
                                      part("R1", "resistor", "out", "ground", "value = \"1.6 kohm\""),
                                  [=](Complex s) { return s * c / (s * c + 1 / r + input_admittance(s)); }},
                                 {"RLC",
                                  kPins + part("R1", "resistor", "in", "m", "value = \"100 ohm\"") +
                                      part("L1", "inductor", "m", "out", "value = \"1 mH\"\nresistance = \"2 ohm\"") +
                                      part("C1", "capacitor", "out", "ground", "value = \"10 nF\""),
                                  [=](Complex s) {
                                    const Complex y = s * c + input_admittance(s);
                                    return 1.0 / (1.0 + (100.0 + rl + s * l) * y);
                                  }},
                                 {"op-amp stage", non_inverting(), [](Complex s) {
                                    // One-pole op amp, output resistance inside the loop: v_out = A (v+ - v-) - Ro i.
                                    const double a0 = 1e5, gbw = 2 * pi * 1e6, ro = 100;
                                    const Complex a = a0 / (1.0 + s * a0 / gbw), y_load = 1e-4 + input_admittance(s);
                                    return a / (1.0 + ro * y_load + a * 0.1);
                                  }}};
  for (const auto& row : rows)
    for (const double f : {100.0, 3333.0, 1e4, 5e4, 1e5}) {
      const Complex h = row.h(Complex(0, 2 * pi * f));
      const auto m = measure(row.text, f);
      INFO(row.name << " at " << f << " Hz: " << m.gain_db << " dB, u " << m.u_gain_db << ", phase " << m.phase_deg
                    << ", u " << m.u_phase_deg);
      CHECK(std::abs(m.gain_db - 20 * std::log10(std::abs(h))) < std::min(0.02, 4 * m.u_gain_db + 1e-3));
      CHECK(std::abs(std::remainder(m.phase_deg - std::arg(h) * 180 / pi, 360.0)) <
            std::min(0.2, 4 * m.u_phase_deg + 0.01));
    }
}

TEST_CASE("an RLC step follows its closed form", "[sim]") {
  // Series R 20 ohm, L 1 mH, C 1 uF from a discharged state onto 1 V.
  auto net = sim::Network::compile(circuit(kPins + part("V1", "voltage source", "in", "ground", "value = \"1 V\"") +
                                           part("R1", "resistor", "in", "m", "value = \"20 ohm\"") +
                                           part("L1", "inductor", "m", "out", "value = \"1 mH\"") +
                                           part("C1", "capacitor", "out", "ground", "value = \"1 uF\"")));
  REQUIRE(net);
  const double alpha = 20 / (2 * 1e-3), w = std::sqrt(1 / (1e-3 * 1e-6) - alpha * alpha);
  sim::Transient run(*net, sim::State(std::size_t(net->size()), 0.0), 0, {.relative = 1e-6, .absolute = 1e-9});
  const int out = net->node("out");
  double worst = 0;
  int steps = 0;
  REQUIRE(run.run_adaptive(1e-3, 0, 1e-4, [&](const sim::Step& s) {
    ++steps;
    for (const double share : {0.25, 0.8, 1.0}) {
      const double t = s.from + share * (s.to - s.from);
      const double exact = 1 - std::exp(-alpha * t) * (std::cos(w * t) + alpha / w * std::sin(w * t));
      worst = std::max(worst, std::abs(s.at(out, t) - exact));
    }
  }));
  CHECK(worst < 2e-4);
  CHECK(steps > 20);
  CHECK(steps < 5000);
}

TEST_CASE("a lossless resonance keeps its energy", "[sim]") {
  auto net = sim::Network::compile(circuit("[pins]\n\"out\" = \"out\"\n" +
                                           part("L1", "inductor", "out", "ground", "value = \"1 mH\"") +
                                           part("C1", "capacitor", "out", "ground", "value = \"1 uF\"")));
  REQUIRE(net);
  sim::State start(std::size_t(net->size()), 0.0);
  start[std::size_t(net->node("out"))] = 1;
  sim::Transient run(*net, start, 0);
  const double period = 2 * pi * std::sqrt(1e-9);
  REQUIRE(run.run_fixed(100 * period, 100 * 400));
  const double v = run.state()[0], i = run.state()[1];
  CHECK(0.5e-6 * v * v + 0.5e-3 * i * i == Approx(0.5e-6).epsilon(2e-3));
}

TEST_CASE("skipping periods gives what stepping through them gives", "[sim]") {
  const auto text = kPins + part("V1", "voltage source", "in", "ground", "peak = \"1 V\"\nfrequency = \"10 kHz\"") +
                    part("C1", "capacitor", "in", "out", "value = \"100 nF\"") +
                    part("R1", "resistor", "out", "ground", "value = \"10 kohm\"");
  const double wait = 37.3 / 10e3;
  enum class How { skip, watch, step };
  const auto state_after = [&](How how) {
    auto net = sim::Network::compile(circuit(text));
    REQUIRE(net);
    auto rest = sim::operating_point(*net);
    REQUIRE(rest);
    sim::Transient run(*net, *rest, 0);
    sim::PeriodicDrive drive(run, *net, 10e3);
    if (how == How::skip)
      REQUIRE(drive.wait(wait, {}));
    else if (how == How::watch)
      REQUIRE(drive.watch(wait, {}, {}));
    else
      REQUIRE(run.run_fixed(wait, 37.3 * 400));
    CHECK(run.time() == Approx(wait).epsilon(1e-9));
    return run.state()[std::size_t(net->node("out"))];
  };
  // The high-pass is still settling (its time constant is 1 ms), so this would fail if the transient were dropped.
  const double skipped = state_after(How::skip), watched = state_after(How::watch), stepped = state_after(How::step);
  CHECK(skipped == Approx(stepped).margin(2e-5));
  CHECK(watched == Approx(stepped).margin(2e-5));
  const double w = 2 * pi * 10e3, tau = 1e-3;
  const Complex h = Complex(0, w * tau) / Complex(1, w * tau);
  const double steady = (h * std::polar(1.0, w * wait)).real();
  // At rest the source already stands at its peak of 1 V: the free part is what the steady state lacks there.
  const double exact = steady - h.real() * std::exp(-wait / tau);
  CHECK(stepped == Approx(exact).margin(5e-4));
  CHECK(std::abs(stepped - steady) > 5e-3 * std::exp(-wait / tau));
}

TEST_CASE("an op amp clips at its rails and the record shows it", "[sim][bench]") {
  sim::SimulatedBench bench(circuit(non_inverting()), 3);
  REQUIRE(bench.connect({{"in", {}}, {"out", {}}}));
  REQUIRE(bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 2}));
  REQUIRE(bench.wait(5e-3, {}));
  const auto capture = bench.capture(1e6, 4000, {});
  REQUIRE(capture);
  const auto out = capture->channels[1].volts();
  CHECK(*std::max_element(out.begin(), out.end()) == Approx(4.0).epsilon(0.03));
  CHECK(*std::min_element(out.begin(), out.end()) == Approx(-4.0).epsilon(0.03));
}

TEST_CASE("a converter clips at the end of its range, an automatic one does not", "[bench]") {
  const auto text = kPins + part("R1", "resistor", "in", "out", "value = \"1 kohm\"") +
                    part("R2", "resistor", "out", "ground", "value = \"100 kohm\"");
  sim::SimulatedBench bench(circuit(text), 5);
  REQUIRE(bench.connect({{"in", 0.1}, {"out", {}}}));
  REQUIRE(bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 1}));
  REQUIRE(bench.wait(1e-3, {}));
  const auto capture = bench.capture(1e6, 4000, {});
  REQUIRE(capture);
  const auto& fixed = capture->channels[0];
  CHECK(*std::max_element(fixed.counts.begin(), fixed.counts.end()) == fixed.highest_count);
  const auto& automatic = capture->channels[1];
  CHECK(*std::max_element(automatic.counts.begin(), automatic.counts.end()) < automatic.highest_count);
  CHECK(automatic.range == 1.0);
}

TEST_CASE("source and input load the device", "[bench]") {
  // 1 Mohm in series into the 1 Mohm input: half.
  const auto m = measure(kPins + part("R1", "resistor", "in", "out", "value = \"1 Mohm\"") +
                             part("R2", "resistor", "in", "ground", "value = \"1 Mohm\""),
                         10);
  CHECK(m.gain_db == Approx(-6.0206).margin(0.02));
}

TEST_CASE("the same seed repeats a record bit for bit, another does not", "[bench]") {
  const auto counts = [](std::uint64_t seed) {
    sim::SimulatedBench bench(circuit(non_inverting()), seed);
    REQUIRE(bench.connect({{"in", {}}, {"out", {}}}));
    REQUIRE(bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 0.1}));
    REQUIRE(bench.wait(0.01, {}));
    return bench.capture(1e6, 1000, {})->channels[1].counts;
  };
  CHECK(counts(9) == counts(9));
  CHECK(counts(9) != counts(10));
}

TEST_CASE("the bench refuses what it cannot or must not do", "[bench]") {
  sim::SimulatedBench bench(circuit(non_inverting() + "[ratings]\n\"in\" = \"1 V\"\n"), 1);
  CHECK_FALSE(bench.connect({{"nowhere", {}}}));
  CHECK_FALSE(bench.connect({{"in", 0.123}}));
  REQUIRE(bench.connect({{"in", {}}, {"out", {}}}));
  const auto over = bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 3});
  REQUIRE_FALSE(over);
  CHECK(over.error().fault == Fault::bench);
  CHECK_THAT(over.error().message, Catch::Matchers::Contains("rating is 1 V"));
  CHECK_FALSE(bench.drive({.pin = "in", .frequency = 1e9, .peak_to_peak = 1}));
  CHECK_FALSE(bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 50}));
  std::stop_source stop;
  stop.request_stop();
  REQUIRE(bench.drive({.pin = "in", .frequency = 1e3, .peak_to_peak = 1}));
  CHECK(bench.wait(1, stop.get_token()).error().fault == Fault::stopped);
}

TEST_CASE("circuit errors name file, line and key", "[sim]") {
  struct Row {
    std::string text, says;
  };
  const std::string head = "[pins]\n\"in\" = \"a\"\n";
  const std::vector<Row> rows = {
      {head + part("R1", "resistor", "a", "ground", "value = \"-5 ohm\""),
       "test.toml:6: part R1: value: must be above zero"},
      {head + part("R1", "resistor", "a", "ground", "value = \"5 nF\""),
       "test.toml:6: part R1: value: \"5 nF\" is a capacitance"},
      {head + part("R1", "resistor", "a", "ground", ""), "test.toml:3: part R1: value: is missing"},
      {head + part("R1", "resistor", "a", "ground", "value = nan"), "test.toml:6: part R1: value"},
      {head + part("R1", "resistor", "a", "ground", "value = 5\ncolour = \"red\""),
       "test.toml:7: part R1: colour: a resistor has no such key"},
      {head + part("X1", "flux capacitor", "a", "ground", "value = 5"),
       "test.toml:4: part X1: kind: \"flux capacitor\" is not known"},
      {head + "[part.R1]\nkind = \"resistor\"\nbetween = [\"a\"]\nvalue = 5\n",
       "test.toml:5: part R1: between: two nodes"},
      {head + part("R1", "resistor", "a", "b", "value = 5"), "nothing is connected to the node \"ground\""},
      {"[pins]\n\"in\" = \"zz\"\n" + part("R1", "resistor", "a", "ground", "value = 5"),
       "test.toml:2: pins: in: no part is connected"},
      {head, "part: the circuit has no parts"},
      {part("R1", "resistor", "a", "ground", "value = 5"), "pins: the circuit names no pin"},
      {head + part("R1", "resistor", "a", "ground", "value = 5\ntolerance = \"200 %\""), "tolerance"},
      {head + part("F1", "current by current", "a", "ground", "value = 5\ncontrol = \"V9\""),
       "control: there is no voltage source V9"},
      {head + "[part.U1]\nkind = \"op amp\"\nplus = \"a\"\nout = \"b\"\n",
       "part U1: minus: this pin of a op amp is not connected"},
      {"not toml at all = = =", "test.toml:1:"},
      {"", "part: the circuit has no parts"}};
  for (const auto& row : rows) {
    const auto read = sim::read_circuit(row.text, "test.toml");
    INFO(row.text);
    REQUIRE_FALSE(read);
    CHECK_THAT(read.error().message, Catch::Matchers::Contains(row.says));
  }
}

TEST_CASE("controlled sources do what their names say", "[sim]") {
  const auto volts_at_out = [](const std::string& source) {
    auto net = sim::Network::compile(circuit(kPins + part("V1", "voltage source", "in", "ground", "value = \"2 V\"") +
                                             part("R1", "resistor", "in", "ground", "value = \"1 kohm\"") + source +
                                             part("R2", "resistor", "out", "ground", "value = \"500 ohm\"")));
    REQUIRE(net);
    const auto x = sim::operating_point(*net);
    REQUIRE(x);
    return (*x)[std::size_t(net->node("out"))];
  };
  const std::string four = "a = \"out\"\nb = \"ground\"\nplus = \"in\"\nminus = \"ground\"\n";
  CHECK(volts_at_out("[part.E1]\nkind = \"voltage by voltage\"\n" + four + "value = 3\n") == Approx(6));
  CHECK(volts_at_out("[part.G1]\nkind = \"current by voltage\"\n" + four + "value = \"1 mS\"\n") == Approx(1));
  // The source's own current runs from a to b inside it: -2 mA here.
  CHECK(volts_at_out(part("H1", "voltage by current", "out", "ground", "control = \"V1\"\nvalue = \"1 kohm\"")) ==
        Approx(-2));
  CHECK(volts_at_out(part("F1", "current by current", "out", "ground", "control = \"V1\"\nvalue = 2")) == Approx(-2));
  CHECK(volts_at_out(part("I1", "current source", "out", "ground", "value = \"4 mA\"")) == Approx(2));
}

TEST_CASE("units differ within the tolerance of their parts, fitted values are exact", "[sim]") {
  const auto nominal = circuit(kPins + part("R1", "resistor", "in", "out", "value = \"1 kohm\"\ntolerance = \"5 %\"") +
                               part("R2", "resistor", "out", "ground", "value = \"1 kohm\""));
  double low = 2000, high = 0;
  for (int i = 0; i < 200; ++i) {
    const auto built = sim::as_built(nominal, "unit " + std::to_string(i), {});
    REQUIRE(built);
    const double r = built->find("R1")->values.at("value").value;
    low = std::min(low, r);
    high = std::max(high, r);
    CHECK(built->find("R2")->values.at("value").value == 1000);
  }
  CHECK(low >= 950);
  CHECK(low < 960);
  CHECK(high <= 1050);
  CHECK(high > 1040);
  CHECK(sim::as_built(nominal, "unit 1", {{"R1", 820.0}})->find("R1")->values.at("value").value == 820);
  CHECK_FALSE(sim::as_built(nominal, "unit 1", {{"R7", 820.0}}));
  CHECK_FALSE(sim::as_built(nominal, "unit 1", {{"R1", -1.0}}));
}
