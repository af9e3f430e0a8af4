#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <complex>
#include <random>

#include "sim/device.h"
#include "sim/network.h"
#include "sim/transient.h"
#include "support.h"

using Complex = std::complex<double>;
using namespace heron;
using namespace heron::sim;
using std::numbers::pi;

namespace {

constexpr double kVtAt25 = 1.380649e-23 * 298.15 / 1.602176634e-19;  ///< at 25 degC

Circuit circuit_of(std::vector<Part> parts) {
  Circuit c;
  c.parts = std::move(parts);
  return c;
}

Part resistor(const std::string& name, const std::string& a, const std::string& b, double r) {
  return make_part(name, "resistor", {a, b}, {{"value", r}});
}
Part volts(const std::string& name, const std::string& a, double v) {
  return make_part(name, "voltage source", {a, "ground"}, {{"value", v}});
}

Network compiled(const Circuit& circuit) {
  auto network = Network::compile(circuit);
  if (!network) FAIL(network.error().message);
  return std::move(*network);
}

State at_rest(Network& network) {
  const auto x = operating_point(network);
  if (!x) FAIL(x.error().message);
  return *x;
}

/// The real branch of w exp(w) = x for x > 0 given as ln x, by Halley's steps: independent of any solver of ours.
double lambert_w_of_exp(double ln_x) {
  double w = ln_x > 1 ? ln_x - std::log(ln_x) : std::exp(ln_x);
  for (int k = 0; k < 60; ++k) {
    // f = w + ln w - ln x
    const double f = w + std::log(w) - ln_x, d = 1 + 1 / w;
    const double next = w - f / d;
    w = next > 0 ? next : w / 2;
  }
  return w;
}

}  // namespace

TEST_CASE("a diode behind a resistor follows Lambert's W over nine decades", "[sim][parts]") {
  const double is = 1e-14, n = 1.3, series = 2.0;
  for (int decade = -12; decade <= -3; ++decade)
    for (const double supply : {0.3, 1.0, 5.0}) {
      // A resistance that leaves about this current; the closed form does not care.
      const double r = supply / std::pow(10, decade);
      auto network = compiled(
          circuit_of({volts("V1", "in", supply), resistor("R1", "in", "a", r),
                      make_part("D1", "diode", {"a", "ground"},
                                {{"saturation_current", is}, {"ideality", n}, {"series_resistance", series}})}));
      const auto x = at_rest(network);
      // i = nVt/R W(Is R/nVt exp((V + Is R)/nVt)) - Is with R = r + series (Banwell and Jayakumar 2000).
      const double all = r + series, nvt = n * kVtAt25;
      const double i = nvt / all * lambert_w_of_exp(std::log(is * all / nvt) + (supply + is * all) / nvt) - is;
      // Held as a voltage, where double precision is not lost in a difference: 1e-8 V is 3e-7 of the current.
      INFO(supply << " V over " << r << " ohm: " << i << " A");
      CHECK(x[std::size_t(network.node("a"))] == Approx(supply - i * r).margin(1e-8));
    }
}

TEST_CASE("a differential pair shares its tail current by tanh, a mirror copies", "[sim][parts]") {
  const std::map<std::string, double> npn = {{"saturation_current", 1e-15}, {"current_gain", 1e6}};
  for (const double vd : {-0.15, -0.05, -0.01, 0.0, 0.004, 0.026, 0.1}) {
    auto network = compiled(circuit_of({volts("VC", "rail", 5), volts("VD", "b1", vd), volts("VB", "b2", 0),
                                        resistor("R1", "rail", "c1", 100), resistor("R2", "rail", "c2", 100),
                                        make_part("Q1", "bipolar", {"c1", "b1", "e"}, npn),
                                        make_part("Q2", "bipolar", {"c2", "b2", "e"}, npn),
                                        make_part("I1", "current source", {"ground", "e"}, {{"value", 1e-3}})}));
    const auto x = at_rest(network);
    const double difference = (x[std::size_t(network.node("c2"))] - x[std::size_t(network.node("c1"))]) / 100;
    CHECK(difference == Approx(1e-3 * std::tanh(vd / (2 * kVtAt25))).epsilon(3e-6).margin(1e-10));
  }
  // i_out = i_ref / (1 + 2/beta), times the Early effect's share; here none.
  const double beta = 80;
  const std::map<std::string, double> real = {{"saturation_current", 1e-15}, {"current_gain", beta}};
  auto network = compiled(circuit_of({make_part("I1", "current source", {"in", "ground"}, {{"value", 2e-3}}),
                                      make_part("Q1", "bipolar", {"in", "in", "ground"}, real),
                                      make_part("Q2", "bipolar", {"out", "in", "ground"}, real), volts("VC", "rail", 3),
                                      resistor("R1", "rail", "out", 500)}));
  const auto x = at_rest(network);
  CHECK((3 - x[std::size_t(network.node("out"))]) / 500 == Approx(2e-3 / (1 + 2 / beta)).epsilon(1e-6));
}

TEST_CASE("a lossless ring keeps its energy for a thousand periods", "[sim][parts][slow]") {
  const double l = 1e-3, c = 1e-6, period = 2 * pi * std::sqrt(l * c);
  auto network = compiled(circuit_of({make_part("L1", "inductor", {"a", "ground"}, {{"value", l}}),
                                      make_part("C1", "capacitor", {"a", "ground"}, {{"value", c}})}));
  State start(std::size_t(network.size()), 0.0);
  start[std::size_t(network.node("a"))] = 1;
  Transient transient(network, start, 0);
  REQUIRE(transient.run_adaptive(1000 * period, 0, period));
  const auto& x = transient.state();
  const double v = x[std::size_t(network.node("a"))], i = x[1];
  const double energy = 0.5 * c * v * v + 0.5 * l * i * i;
  CHECK(energy / (0.5 * c) == Approx(1).margin(1e-3));
}

TEST_CASE("an RLC step is that of the closed form", "[sim][parts]") {
  const double r = 20, l = 1e-3, c = 100e-9, rise = 1e-9;
  Part source = make_part("V1", "voltage source", {"in", "ground"}, {});
  source.points = {{0, 0}, {rise, 1}};
  auto network = compiled(
      circuit_of({source, resistor("R1", "in", "m", r), make_part("L1", "inductor", {"m", "out"}, {{"value", l}}),
                  make_part("C1", "capacitor", {"out", "ground"}, {{"value", c}})}));
  Transient transient(network, at_rest(network), 0);
  const double a = r / (2 * l), w = std::sqrt(1 / (l * c) - a * a);
  double worst = 0;
  const int out = network.node("out");
  REQUIRE(transient.run_adaptive(400e-6, 0, 1e-3, [&](const Step& step) {
    for (int k = 0; k <= 4; ++k) {
      const double at = step.from + (step.to - step.from) * k / 4, t = at - rise / 2;
      if (t < 0) continue;
      const double v = 1 - std::exp(-a * t) * (std::cos(w * t) + a / w * std::sin(w * t));
      worst = std::max(worst, std::abs(step.at(out, at) - v));
    }
  }));
  CHECK(worst < 2e-4);
}

TEST_CASE("no narrow pulse is run over", "[sim][parts]") {
  // 2 ns once in a second: what the capacitor holds afterwards is the pulse's charge.
  Part source = make_part("I1", "current source", {"a", "ground"}, {});
  source.points = {{0.4, 0}, {0.4 + 1e-9, 1}, {0.4 + 2e-9, 1}, {0.4 + 3e-9, 0}};
  auto network = compiled(circuit_of({source, make_part("C1", "capacitor", {"a", "ground"}, {{"value", 1e-9}})}));
  Transient transient(network, State(std::size_t(network.size()), 0.0), 0);
  REQUIRE(transient.run_adaptive(1, 0, 1));
  CHECK(transient.state()[std::size_t(network.node("a"))] == Approx(2.0).epsilon(1e-6));
}

TEST_CASE("an op amp's large step is as fast as its slew rate, its small one as its bandwidth", "[sim][parts]") {
  const double slew = 1e6;
  const auto follower = [&](double step) {
    Part source = make_part("V1", "voltage source", {"in", "ground"}, {});
    source.points = {{1e-6, 0}, {1.001e-6, step}};
    return circuit_of({source, make_part("U1", "op amp", {"in", "out", "out"},
                                         {{"gain_bandwidth", 1e6},
                                          {"open_loop_gain", 120},
                                          {"rail_high", 12},
                                          {"rail_low", -12},
                                          {"slew_rate", slew},
                                          {"output_resistance", 1}})});
  };
  const auto crossing = [&](double step, double level) {
    auto network = compiled(follower(step));
    Transient transient(network, at_rest(network), 0);
    double at = 0;
    const int out = network.node("out");
    REQUIRE(transient.run_adaptive(30e-6, 0, 1e-6, [&](const Step& s) {
      if (at == 0 && s.at(out, s.to) >= level) {
        double low = s.from, high = s.to;
        for (int k = 0; k < 60; ++k) ((s.at(out, 0.5 * (low + high)) < level) ? low : high) = 0.5 * (low + high);
        at = low;
      }
    }));
    return at;
  };
  // Far from the end the output moves at the slew rate.
  CHECK(4.0 / (crossing(10, 6) - crossing(10, 2)) == Approx(slew).epsilon(2e-3));
  // A step far below slewing settles as one pole at the bandwidth.
  const double tau = crossing(1e-3, 1e-3 * (1 - std::exp(-1.0))) - 1.0005e-6;
  CHECK(tau == Approx(1 / (2 * pi * 1e6)).epsilon(5e-3));
}

TEST_CASE("coupled windings transform voltage and impedance", "[sim][parts]") {
  const double l1 = 1e-3, l2 = 16e-3, k = 0.98, load = 1e3, f = 50e3;
  auto network = compiled(
      circuit_of({make_part("V1", "voltage source", {"in", "ground"}, {{"peak", 1}, {"frequency", f}, {"phase", -90}}),
                  make_part("T1", "coupled inductors", {"in", "ground", "s", "ground"},
                            {{"value", l1}, {"secondary", l2}, {"coupling", k}, {"resistance", 0.5}}),
                  resistor("RL", "s", "ground", load)}));
  Transient transient(network, at_rest(network), 0);
  // Far past the start-up, whose time constant is L1/R1 = 2 ms.
  REQUIRE(transient.run_adaptive(20e-3, 0, 1 / f / 40));
  double peak = 0;
  const int s = network.node("s");
  REQUIRE(transient.run_adaptive(20e-3 + 2 / f, 0, 1 / f / 400, [&](const Step& step) {
    for (int j = 0; j < 4; ++j) peak = std::max(peak, std::abs(step.at(s, step.from + (step.to - step.from) * j / 4)));
  }));
  const Complex jw(0, 2 * pi * f);
  const double m = k * std::sqrt(l1 * l2);
  // Mesh equations: V = (R + jw L1) i1 - jw M i2; 0 = -jw M i1 + (jw L2 + load) i2.
  const Complex a = 0.5 + jw * l1, b = jw * m, d = jw * l2 + load, i2 = b / (a * d - b * b);
  CHECK(peak == Approx(std::abs(i2 * load)).epsilon(1e-3));
}

TEST_CASE("a thermistor warms to where its power leaves by its thermal resistance", "[sim][parts]") {
  const double r25 = 10e3, beta = 3400, rth = 400, heat = 2e-3, supply = 10, series = 2e3;
  Circuit circuit =
      circuit_of({volts("V1", "in", supply), resistor("R1", "in", "t", series),
                  make_part("NTC", "thermistor", {"t", "ground"},
                            {{"value", r25}, {"beta", beta}, {"thermal_resistance", rth}, {"heat_capacity", heat}})});
  auto network = compiled(circuit);
  const auto x = at_rest(network);
  const double v = x[std::size_t(network.node("t"))];
  // Bisection over the rise of temperature, on the balance alone.
  double low = 0, high = 300;
  const auto resistance = [&](double rise) { return r25 * std::exp(beta * (1 / (298.15 + rise) - 1 / 298.15)); };
  const auto power = [&](double rise) {
    const double i = supply / (series + resistance(rise));
    return i * i * resistance(rise);
  };
  for (int k = 0; k < 100; ++k)
    (power(0.5 * (low + high)) > 0.5 * (low + high) / rth ? low : high) = 0.5 * (low + high);
  CHECK(v == Approx(supply * resistance(low) / (series + resistance(low))).epsilon(1e-6));
  // From cold, a small power warms by 1 - 1/e in heat * rth.
  auto cold = compiled(
      circuit_of({volts("V1", "t", 0.5),
                  make_part("NTC", "thermistor", {"t", "ground"},
                            {{"value", r25}, {"beta", beta}, {"thermal_resistance", rth}, {"heat_capacity", heat}})}));
  State start(std::size_t(cold.size()), 0.0);
  start[std::size_t(cold.node("t"))] = 0.5;
  start[1] = -0.5 / r25;
  Transient transient(cold, start, 0);
  REQUIRE(transient.run_adaptive(heat * rth, 0, 0.1));
  const double p = 0.25 / r25;
  CHECK(transient.state()[2] == Approx(p * rth * (1 - std::exp(-1.0))).epsilon(2e-4));
}

TEST_CASE("the energy of a half bridge adds up", "[sim][parts][slow]") {
  // A 48 V bus, two FETs in turn, an inductive load back to a mid-point source.
  const double period = 10e-6, bus = 48;
  const std::map<std::string, double> fet = {{"value", 2.5},
                                             {"transconductance", 20},
                                             {"drain_resistance", 20e-3},
                                             {"body_transit_time", 20e-9},
                                             {"gate_source_capacitance", 1e-9},
                                             {"gate_drain_capacitance", 50e-12},
                                             {"gate_drain_capacitance_on", 600e-12},
                                             {"drain_source_capacitance", 400e-12}};
  Part high = make_part("VH", "voltage source", {"gh", "sw"}, {}),
       low = make_part("VL", "voltage source", {"gl", "ground"}, {});
  const double dead = 100e-9, edge = 20e-9;
  high.wave = pulse(0, 10, edge, edge, period / 2 - dead, period);
  low.wave = pulse(0, 10, edge, edge, period / 2 - dead, period);
  low.wave->delay = period / 2;
  const auto circuit = circuit_of({volts("VB", "bus", bus), high, low, resistor("RGH", "gh", "ghi", 5),
                                   resistor("RGL", "gl", "gli", 5), make_part("QH", "fet", {"bus", "ghi", "sw"}, fet),
                                   make_part("QL", "fet", {"sw", "gli", "ground"}, fet),
                                   make_part("L1", "inductor", {"sw", "m"}, {{"value", 47e-6}}),
                                   resistor("RL", "m", "mid", 4), volts("VM", "mid", 12)});
  auto network = compiled(circuit);
  Transient transient(network, at_rest(network), 0);
  const auto node = [&](const char* name) { return std::size_t(network.node(name)); };
  // Branch currents are the unknowns after the nodes, in the parts' order: VB, VH, VL, then the drains' inner nodes.
  const auto nodes = std::size_t(network.node_count());
  const std::size_t ib = nodes, ih = nodes + 1, il = nodes + 2, dh = nodes + 3, dl = nodes + 4, i_l = nodes + 5,
                    im = nodes + 6;
  double given = 0, heat = 0, channel = 0;
  const double steady = 30 * period, until = steady + 4 * period;
  REQUIRE(transient.run_adaptive(steady, 0, period / 20));
  const State before = transient.state();
  const auto square = [](double v) { return v * v; };
  // What the sources give, and what resistors and channels turn to heat; each from voltages and currents at three
  // points of every step (Simpson).
  const auto powers = [&](const auto& at) {
    const double vb = at(node("bus")), vsw = at(node("sw"));
    const double source =
        -(vb * at(ib) + (at(node("gh")) - vsw) * at(ih) + at(node("gl")) * at(il) + at(node("mid")) * at(im));
    const double ohmic = square(at(node("gh")) - at(node("ghi"))) / 5 + square(at(node("gl")) - at(node("gli"))) / 5 +
                         square(at(node("m")) - at(node("mid"))) / 4 + square(vb - at(dh)) / 20e-3 +
                         square(vsw - at(dl)) / 20e-3;
    // Channel and body diode by their own equations (docs/circuits.md), evaluated here.
    const auto fet_heat = [&](double vgs, double vds) {
      const auto f = [](double x) { return std::pow(x > 40 ? x : std::log1p(std::exp(x)), 2); };
      const double n = 1.2, pinch = (vgs - 2.5) / n;
      const double i = 2 * n * 20 * kVtAt25 * kVtAt25 * (f(pinch / (2 * kVtAt25)) - f((pinch - vds) / (2 * kVtAt25)));
      const double body = 1e-13 * (std::exp(-vds / (1.1 * kVtAt25)) - 1);
      return (i - body) * vds;
    };
    return std::array{source, ohmic, fet_heat(at(node("ghi")) - vsw, at(dh) - vsw) + fet_heat(at(node("gli")), at(dl))};
  };
  REQUIRE(transient.run_adaptive(until, 0, period / 20, [&](const Step& s) {
    const double h = s.to - s.from;
    for (const auto& [place, weight] : {std::pair{0.0, 1.0 / 6}, {0.5, 4.0 / 6}, {1.0, 1.0 / 6}}) {
      const auto p = powers([&](std::size_t k) { return s.at(int(k), s.from + place * h); });
      given += weight * h * p[0];
      heat += weight * h * p[1];
      channel += weight * h * p[2];
    }
  }));
  const State after = transient.state();
  const double stored = 0.5 * 47e-6 * (square(after[i_l]) - square(before[i_l]));
  INFO("given " << given << " J, ohmic " << heat << " J, channels " << channel << " J, stored " << stored << " J");
  CHECK(given > 1e-6);
  CHECK(heat + channel + stored == Approx(given).epsilon(5e-3));
}

namespace {

/// One part between nodes of its own, its values plausible, with charges where it can have them.
Part sample_of(const PartKind& kind) {
  static const std::map<std::string_view, double> plausible = {{"saturation_current", 1e-12},
                                                               {"current_gain", 100},
                                                               {"early_voltage", 40},
                                                               {"knee_current", 0.05},
                                                               {"leakage_current", 1e-13},
                                                               {"transit_time", 1e-9},
                                                               {"reverse_transit_time", 1e-8},
                                                               {"emitter_capacitance", 5e-12},
                                                               {"collector_capacitance", 3e-12},
                                                               {"junction_capacitance", 1e-11},
                                                               {"breakdown", 6},
                                                               {"transconductance", 0.2},
                                                               {"modulation", 0.02},
                                                               {"body_transit_time", 1e-8},
                                                               {"gate_source_capacitance", 1e-10},
                                                               {"gate_drain_capacitance", 1e-11},
                                                               {"gate_drain_capacitance_on", 1e-10},
                                                               {"drain_source_capacitance", 5e-11},
                                                               {"gain_bandwidth", 1e6},
                                                               {"rail_high", 3},
                                                               {"rail_low", -3},
                                                               {"slew_rate", 1e6},
                                                               {"output_limit", 0.02},
                                                               {"nominal_input", 5},
                                                               {"current_limit", 0.2},
                                                               {"coupling", 0.4},
                                                               {"led_saturation_current", 1e-15},
                                                               {"secondary", 2e-3},
                                                               {"saturation_current_of_core", 1},
                                                               {"half_voltage", 4},
                                                               {"leakage", 1e6},
                                                               {"beta", 3400},
                                                               {"thermal_resistance", 300},
                                                               {"heat_capacity", 1e-3},
                                                               {"resistance", 2},
                                                               {"inductance", 1e-3},
                                                               {"inertia", 1e-5},
                                                               {"load", 0.01},
                                                               {"drag", 1e-6},
                                                               {"back_emf", 3},
                                                               {"frequency", 1e3},
                                                               {"duty", 0.4},
                                                               {"edge", 1e-5},
                                                               {"switching_charge", 1e-9},
                                                               {"capacitance", 1e-8},
                                                               {"voltage_limit", 4},
                                                               {"series_resistance", 0.5},
                                                               {"base_resistance", 10},
                                                               {"drain_resistance", 0.05},
                                                               {"current", 0.05},
                                                               {"power", 0.3}};
  std::vector<std::string> nodes;
  for (const auto pin : kind.pins) nodes.push_back("n_" + std::string(pin));
  std::map<std::string, double> values;
  for (const auto& rule : kind.values)
    if (const auto it = plausible.find(rule.key); it != plausible.end())
      values[std::string(rule.key)] = it->second;
    else if (rule.required)
      values[std::string(rule.key)] = rule.key == "value" && rule.unit == "F" ? 1e-9
                                      : rule.unit == "V"                      ? 1.5
                                      : rule.unit == "H"                      ? 1e-3
                                                                              : 0.7;
  // An inductor's "saturation_current" is of its core.
  if (kind.name == "inductor") values["saturation_current"] = 0.8;
  Part part = make_part("P1", kind.name, nodes, values);
  if (kind.takes_formula) {
    part.formula = "0.02*u*abs(u) + 0.1*tanh(w)";
    part.sees = {"u", "w"};
    for (const char* n : {"n_u", "ground", "n_w", "n_a"}) part.nodes.push_back(n);
  }
  if (kind.needs_control) part.control = "VC";
  return part;
}

Network sample_network(const PartKind& kind, const std::string& word = {}) {
  Part part = sample_of(kind);
  if (!word.empty()) part.texts[std::string(kind.texts.front().key)] = word;
  std::vector<Part> parts = {part};
  if (kind.needs_control) parts.push_back(volts("VC", "n_vc", 1));
  return compiled(circuit_of(std::move(parts)));
}

struct Sample {
  const PartKind* kind;
  std::string word;
};
std::vector<Sample> all_samples() {
  std::vector<Sample> out;
  for (const auto& kind : part_kinds()) {
    if (kind.texts.empty())
      out.push_back({&kind, ""});
    else
      for (const auto word : kind.texts.front().words) out.push_back({&kind, std::string(word)});
  }
  return out;
}

State random_state(int n, std::mt19937_64& random) {
  // From deep reverse to a good way into conduction.
  std::uniform_real_distribution<double> spread(-4, 1.5);
  State x(static_cast<std::size_t>(n));
  for (auto& v : x) v = spread(random) * (random() % 3 == 0 ? 0.2 : 1);
  return x;
}

}  // namespace

TEST_CASE("the slopes of every part are those of its currents and charges", "[sim][parts][property]") {
  std::mt19937_64 random(7);
  for (const auto& [kind, word] : all_samples()) {
    auto network = sample_network(*kind, word);
    const int n = network.size();
    for (int round = 0; round < 40; ++round) {
      const State x = random_state(n, random);
      const double time = 1.37e-4;
      for (int column = 0; column < n; ++column) {
        const double h = 1e-6;
        State above = x, below = x, unit(std::size_t(n), 0.0), slope_f(static_cast<std::size_t>(n)),
              slope_q(static_cast<std::size_t>(n));
        above[std::size_t(column)] += h;
        below[std::size_t(column)] -= h;
        unit[std::size_t(column)] = 1;
        network.evaluate(x, time);
        network.multiply(0, 1, unit, slope_f);
        network.multiply(1, 0, unit, slope_q);
        network.evaluate(above, time);
        const State fa(network.f().begin(), network.f().end()), qa(network.q().begin(), network.q().end());
        network.evaluate(below, time);
        for (std::size_t row = 0; row < std::size_t(n); ++row) {
          const double df = (fa[row] - network.f()[row]) / (2 * h), dq = (qa[row] - network.q()[row]) / (2 * h);
          // A central difference loses what the size of the numbers leaves of double precision, and by the third slope.
          const double lost_f = 1e-9 * std::abs(fa[row]) / h * 1e-6 + 1e-15,
                       lost_q = 1e-9 * std::abs(qa[row]) / h * 1e-6 + 1e-24;
          INFO(kind->name << " " << word << " row " << row << " column " << column);
          CHECK(std::abs(slope_f[row] - df) <= 2e-5 * std::abs(df) + 1e3 * lost_f);
          CHECK(std::abs(slope_q[row] - dq) <= 2e-5 * std::abs(dq) + 1e3 * lost_q);
        }
      }
    }
  }
}

TEST_CASE("no part makes or loses charge", "[sim][parts][property]") {
  std::mt19937_64 random(8);
  for (const auto& [kind, word] : all_samples()) {
    // Inner states that are no charge (a loop's voltage, a speed, a temperature, a rise of light) are left out of sums.
    auto network = sample_network(*kind, word);
    const auto n = std::size_t(network.size());
    INFO(kind->name << " " << word);
    // Around a closed loop of biases what went in has come out again: the integral of C dx is zero for every row.
    std::vector<State> corners;
    for (int k = 0; k < 4; ++k) corners.push_back(random_state(int(n), random));
    State round_trip(n, 0.0), size(n, 0.0), flow(n);
    for (std::size_t k = 0; k < corners.size(); ++k) {
      const State &from = corners[k], &to = corners[(k + 1) % corners.size()];
      State step(n), x(n);
      constexpr int kSteps = 4000;
      for (std::size_t i = 0; i < n; ++i) step[i] = (to[i] - from[i]) / kSteps;
      for (int j = 0; j < kSteps; ++j) {
        for (std::size_t i = 0; i < n; ++i) x[i] = from[i] + (j + 0.5) * step[i];
        network.evaluate(x, 0);
        network.multiply(1, 0, step, flow);
        for (std::size_t i = 0; i < n; ++i) {
          round_trip[i] += flow[i];
          size[i] += std::abs(flow[i]);
        }
      }
    }
    for (std::size_t i = 0; i < n; ++i) CHECK(std::abs(round_trip[i]) <= 2e-4 * size[i] + 1e-22);
  }
}

TEST_CASE("what flows into a part flows out of it", "[sim][parts][property]") {
  std::mt19937_64 random(9);
  for (const auto& [kind, word] : all_samples()) {
    // An op amp draws its output current from rails that are not drawn.
    if (kind->name == "op amp") continue;
    auto network = sample_network(*kind, word);
    for (int round = 0; round < 20; ++round) {
      const State x = random_state(network.size(), random);
      network.evaluate(x, 2e-4);
      double current = 0, charge = 0, charges = 0, size = 0;
      // Nodes come first; an expression also sees nodes that no current flows into. Inner nodes are summed too where a
      // part has series resistances: their rows are currents as well.
      const auto nodes = std::size_t(network.node_count());
      std::vector<bool> inner_node(std::size_t(network.size()), false);
      const bool series = kind->extra_for != nullptr || kind->name == "photovoltaic cell";
      for (std::size_t i = 0; i < nodes; ++i) inner_node[i] = true;
      if (series && kind->name != "inductor") inner_node[nodes] = true;
      if (kind->name == "phototransistor pair") inner_node[nodes] = true;
      // Into a node of heat flow watts.
      const auto heat = std::find(kind->pins.begin(), kind->pins.end(), "heat");
      if (heat != kind->pins.end()) inner_node[std::size_t(network.node("n_" + std::string(*heat)))] = false;
      for (std::size_t i = 0; i < std::size_t(network.size()); ++i) {
        if (!inner_node[i]) continue;
        current += network.f()[i];
        charge += network.q()[i];
        charges += std::abs(network.q()[i]);
        size += std::abs(network.f()[i]);
      }
      INFO(kind->name << " " << word);
      if (!kind->needs_control) CHECK(std::abs(current) <= 1e-12 * size + 1e-18);
      CHECK(std::abs(charge) <= 1e-12 * charges + 1e-18);
    }
  }
}
