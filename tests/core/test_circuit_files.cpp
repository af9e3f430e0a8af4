#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <random>
#include <sstream>

#include "sim/device.h"
#include "sim/network.h"
#include "sim/transient.h"
#include "support.h"

using namespace heron;
using namespace heron::sim;

namespace {

std::string error_of(const std::string& text) {
  const auto read = read_circuit(text, "c.toml");
  return read ? std::string() : read.error().message;
}

const std::string kPins = "[pins]\n\"out\" = \"a\"\n";
const std::string kLoad = "[part.R1]\nkind = \"resistor\"\nbetween = [\"a\", \"ground\"]\nvalue = \"1 kohm\"\n";

std::string two(const std::string& name, const std::string& kind, const std::string& a, const std::string& b,
                const std::string& rest) {
  return "[part." + name + "]\nkind = \"" + kind + "\"\nbetween = [\"" + a + "\", \"" + b + "\"]\n" + rest + "\n";
}

double rest_voltage(const Circuit& circuit, const std::string& node) {
  auto network = Network::compile(circuit);
  REQUIRE(network);
  const auto x = operating_point(*network);
  if (!x) FAIL(x.error().message);
  return (*x)[std::size_t(network->node(node))];
}

}  // namespace

TEST_CASE("what is wrong with a circuit file is said with its line", "[sim][circuit-file]") {
  using Catch::Matchers::Contains;
  using Catch::Matchers::StartsWith;
  struct Row {
    std::string text, says;
  };
  const std::vector<Row> rows = {
      {"", "c.toml:1: part: the circuit has no parts"},
      {kPins + two("X1", "flux bender", "a", "ground", ""), "\"flux bender\" is not known"},
      {kPins + kLoad +
           "[part.Q1]\nkind = \"bipolar\"\ncollector = \"a\"\nbase = \"a\"\nsaturation_current = 1e-15\ncurrent_gain = "
           "90\n",
       "c.toml:7: part Q1: emitter: this pin of a bipolar is not connected"},
      {kPins + kLoad + two("R2", "resistor", "a", "b", "value = 10"), "part R2: the node b hangs in the air"},
      {kPins + kLoad + two("R2", "resistor", "x", "y", "value = 10") + two("R3", "resistor", "x", "y", "value = 10"),
       "have no connection to ground"},
      {kPins + kLoad + two("V1", "voltage source", "a", "ground", "value = 1") +
           two("V2", "voltage source", "a", "ground", "value = 2"),
       "part V2: closes a loop of sources that hold a voltage"},
      {kPins + kLoad + two("V1", "voltage source", "a", "ground", "value = 1") +
           two("L1", "inductor", "a", "ground", "value = \"1 mH\""),
       "part V1: closes a loop"},
      {kPins + two("R1", "resistor", "a", "ground", "value = 0"), "c.toml:6: part R1: value: must be above zero"},
      {kPins + two("R1", "resistor", "a", "ground", "value = \"-3 ohm\""), "must be above zero"},
      {kPins + two("R1", "resistor", "a", "ground", "value = nan"), "must be a finite number"},
      {kPins + two("R1", "resistor", "a", "ground", "value = \"5 V\""), "is a voltage"},
      {kPins + kLoad + two("B1", "expression current", "a", "ground", "formula = \"u*(\"\nsees = { u = \"a\" }"),
       "part B1: formula: The formula \"u*(\" cannot be read"},
      {kPins + kLoad + two("B1", "expression current", "a", "ground", "formula = \"w\""), "cannot be read"},
      {kPins + kLoad + two("V1", "voltage source", "b", "a", "points = [[\"1 s\", 1], [\"1 s\", 2]]"),
       "the times must rise"},
      {kPins + kLoad + two("V1", "voltage source", "b", "a", "shape = \"wiggle\""), "one of these is wanted: sine"},
      {kPins + kLoad + "[branches]\n\"supply\" = \"R9.a\"\n", "branches: supply: a part and its pin are wanted"},
      {kPins + kLoad + "[ratings]\n\"out\" = { charm = \"2 V\" }\n", "ratings: out: charm"},
      {kPins + kLoad + "[part.X1]\nkind = \"subcircuit\"\nof = \"none\"\n", "there is no [subcircuit.none]"},
      {kPins + kLoad +
           "[subcircuit.s]\npins = [\"p\"]\n[subcircuit.s.part.X]\nkind = \"subcircuit\"\nof = \"s\"\nconnect = { p = "
           "\"p\" }\n"
           "[part.X1]\nkind = \"subcircuit\"\nof = \"s\"\nconnect = { p = \"a\" }\n",
       "the sub-circuit s contains itself"},
      {kPins + kLoad +
           "[subcircuit.s]\npins = [\"p\", \"q\"]\n[subcircuit.s.part.R]\nkind = \"resistor\"\nbetween = [\"p\", "
           "\"q\"]\nvalue = 1\n"
           "[part.X1]\nkind = \"subcircuit\"\nof = \"s\"\nconnect = { p = \"a\" }\n",
       "the pin q of s is not connected"}};
  for (const auto& row : rows) {
    INFO(row.text);
    const auto message = error_of(row.text);
    CHECK_THAT(message, StartsWith("c.toml:"));
    CHECK_THAT(message, Contains(row.says));
    CHECK(message.find('\n') == std::string::npos);
  }
}

TEST_CASE("sub-circuits stand in for their parts, with parameters by formula, nested", "[sim][circuit-file]") {
  const std::string text = kPins + R"toml(
[subcircuit.divider]
pins = ["top", "tap"]
parameters = { R = "1 kohm", ratio = 2 }
[subcircuit.divider.part.RT]
kind = "resistor"
between = ["top", "tap"]
value = "=R*(ratio-1)"
[subcircuit.divider.part.RB]
kind = "resistor"
between = ["tap", "ground"]
value = "=R"
[subcircuit.two]
pins = ["in", "out"]
parameters = { ratio = 4 }
[subcircuit.two.part.D]
kind = "subcircuit"
of = "divider"
connect = { top = "in", tap = "mid" }
with = { ratio = "=ratio", R = "10 ohm" }
[subcircuit.two.part.E]
kind = "voltage by voltage"
a = "out"
b = "ground"
plus = "mid"
minus = "ground"
value = 3
[part.V1]
kind = "voltage source"
between = ["s", "ground"]
value = "8 V"
[part.X1]
kind = "subcircuit"
of = "two"
connect = { in = "s", out = "a" }
[part.X2]
kind = "subcircuit"
of = "two"
connect = { in = "s", out = "c" }
with = { ratio = 8 }
[part.RC]
kind = "resistor"
between = ["c", "a"]
value = "1 ohm"
)toml";
  const auto circuit = read_circuit(text, "c.toml");
  if (!circuit) FAIL(circuit.error().message);
  CHECK(circuit->find("X1.D.RT")->values.at("value").value == Approx(30));
  CHECK(circuit->find("X2.D.RT")->values.at("value").value == Approx(70));
  CHECK(rest_voltage(*circuit, "a") == Approx(6));
  CHECK(rest_voltage(*circuit, "c") == Approx(3));
}

TEST_CASE("parts follow the temperature of the surroundings", "[sim][circuit-file]") {
  const auto at = [](const std::string& t) {
    const auto circuit = read_circuit(
        "temperature = \"" + t + "\"\n" + kPins + two("I1", "current source", "a", "ground", "value = \"1 mA\"") +
            two("R1", "resistor", "a", "ground", "value = \"1 kohm\"\ntemperature_coefficient = \"200 ppm/K\""),
        "c.toml");
    REQUIRE(circuit);
    return rest_voltage(*circuit, "a");
  };
  CHECK(at("25 degC") == Approx(1.0));
  CHECK(at("125 degC") == Approx(1.02));
  // A diode's forward voltage at a steady current falls by about 2 mV a kelvin: (V - Eg - 3 Vt) / T.
  const auto diode = [](double celsius) {
    Circuit c;
    c.temperature = celsius;
    c.parts = {make_part("I1", "current source", {"a", "ground"}, {{"value", 1e-3}}),
               make_part("D1", "diode", {"a", "ground"}, {{"saturation_current", 1e-15}})};
    return rest_voltage(c, "a");
  };
  const double v = diode(25), slope = (diode(26) - diode(24)) / 2;
  CHECK(slope == Approx((v - 1.12 - 3 * 0.025693) / 298.15).epsilon(0.01));
}

TEST_CASE("ten thousand parts are solved, more than is solved is refused", "[sim][circuit-file][slow]") {
  const auto ladder = [](int n) {
    std::string text = kPins + kLoad + two("V1", "voltage source", "n0", "ground", "value = 1");
    for (int k = 0; k < n; ++k) {
      const auto here = "n" + std::to_string(k), next = k + 1 == n ? "a" : "n" + std::to_string(k + 1);
      text += two("S" + std::to_string(k), "resistor", here, next, "value = 1");
      text += two("P" + std::to_string(k), "resistor", next, "ground", "value = 1e6");
    }
    return text;
  };
  const auto circuit = read_circuit(ladder(5000), "big.toml");
  if (!circuit) FAIL(circuit.error().message);
  const double v = rest_voltage(*circuit, "a");
  CHECK(v > 0);
  CHECK(v < 1);
  CHECK_THAT(error_of(ladder(12000)), Catch::Matchers::Contains("more than 20000 parts"));
}

TEST_CASE("random circuits of every part settle with Kirchhoff's law kept, or say why not", "[sim][random]") {
  std::mt19937_64 random(20260923);
  const auto share = [&] { return double(random() >> 11) * 0x1p-53; };
  int solved = 0, explained = 0;
  for (int round = 0; round < 200; ++round) {
    const int nodes = 3 + int(random() % 8);
    const auto any_node = [&] {
      const auto k = random() % unsigned(nodes + 1);
      return k == 0 ? std::string("ground") : "n" + std::to_string(k);
    };
    Circuit circuit;
    for (int k = 1; k <= nodes; ++k) {
      circuit.pins["n" + std::to_string(k)] = "n" + std::to_string(k);
      circuit.parts.push_back(
          make_part("RG" + std::to_string(k), "resistor",
                    {"n" + std::to_string(k), k % 3 == 0 ? "ground" : "n" + std::to_string(1 + k % nodes)},
                    {{"value", std::pow(10, 2 + 3 * share())}}));
      if (circuit.parts.back().nodes[0] == circuit.parts.back().nodes[1]) circuit.parts.back().nodes[1] = "ground";
    }
    circuit.parts.push_back(make_part("RZ", "resistor", {"n1", "ground"}, {{"value", 1e3}}));
    circuit.parts.push_back(
        make_part("VS", "voltage source", {"n" + std::to_string(nodes), "ground"}, {{"value", 10 * share()}}));
    const auto& kinds = part_kinds();
    for (int k = 0; k < nodes; ++k) {
      const auto& kind = kinds[random() % kinds.size()];
      if (kind.needs_control || kind.takes_formula) continue;
      std::vector<std::string> at;
      for (std::size_t pin = 0; pin < kind.pins.size(); ++pin) at.push_back(any_node());
      std::map<std::string, double> values;
      for (const auto& rule : kind.values)
        if (rule.required) {
          const double spread = std::pow(10, share() - 0.5);
          values[std::string(rule.key)] = spread * (rule.key.ends_with("saturation_current")       ? 1e-13
                                                    : rule.unit == "F"                             ? 1e-9
                                                    : rule.unit == "H"                             ? 1e-4
                                                    : rule.unit == "ohm"                           ? 100
                                                    : rule.unit == "Hz"                            ? 1e5
                                                    : rule.unit == "A"                             ? 10e-3
                                                    : rule.unit == "S"                             ? 1e-3
                                                    : rule.unit == "A/V2"                          ? 0.01
                                                    : rule.key == "current_gain"                   ? 100
                                                    : rule.key == "beta"                           ? 3500
                                                    : rule.key == "bits"                           ? 12 / spread
                                                    : rule.key == "coupling" || rule.key == "duty" ? 0.2
                                                                                                   : 1);
        }
      if (kind.name == "op amp") {
        values["rail_high"] = 5;
        values["rail_low"] = -5;
      }
      auto part = make_part(fmt::format("P{}", k), kind.name, at, values);
      for (const auto& rule : kind.texts)
        part.texts[std::string(rule.key)] = std::string(rule.words[random() % rule.words.size()]);
      circuit.parts.push_back(std::move(part));
    }
    if (const auto ok = check_wiring(circuit); !ok) {
      ++explained;
      CHECK_FALSE(ok.error().message.empty());
      continue;
    }
    auto network = Network::compile(circuit);
    REQUIRE(network);
    const auto x = operating_point(*network);
    if (!x) {
      ++explained;
      CHECK((x.error().message.find("node ") != std::string::npos ||
             x.error().message.find("part ") != std::string::npos));
      continue;
    }
    ++solved;
    // The currents into every node sum to nothing, against the sizes of the currents that flow there.
    network->evaluate(*x, 0, {.at_rest = true});
    const std::vector<double> f(network->f().begin(), network->f().end());
    for (int k = 0; k < network->node_count(); ++k) {
      INFO("round " << round << " " << network->unknown_name(k) << " at " << (*x)[std::size_t(k)] << " V");
      CHECK(std::abs(f[std::size_t(k)]) < 1e-9 + 1e-6 * std::abs((*x)[std::size_t(k)]));
    }
  }
  CHECK(solved >= 150);
  CHECK(solved + explained == 200);
}

TEST_CASE("docs/circuits.md tells every part and every value", "[docs]") {
  std::ifstream file(std::string(HERON_SOURCE) + "/docs/circuits.md");
  std::stringstream text;
  text << file.rdbuf();
  for (const auto& kind : part_kinds()) {
    INFO(kind.name);
    CHECK_THAT(text.str(), Catch::Matchers::Contains("### " + std::string(kind.name) + "\n"));
    for (const auto& rule : kind.values)
      CHECK_THAT(text.str(), Catch::Matchers::Contains("| " + std::string(rule.key) + " |"));
    for (const auto& rule : kind.texts)
      CHECK_THAT(text.str(), Catch::Matchers::Contains("| " + std::string(rule.key) + " |"));
  }
}

TEST_CASE("all devices of the buoy are circuits that settle", "[demo]") {
  int devices = 0;
  for (const auto& entry : std::filesystem::directory_iterator(std::string(HERON_SOURCE) + "/mudlark")) {
    if (entry.path().extension() != ".toml") continue;
    ++devices;
    std::ifstream file(entry.path());
    std::stringstream text;
    text << file.rdbuf();
    INFO(entry.path().filename().string());
    CHECK(text.str().starts_with("# "));
    const auto circuit = read_circuit(text.str(), entry.path().filename().string());
    if (!circuit) FAIL(circuit.error().message);
    CHECK_FALSE(circuit->ratings.empty());
    auto network = Network::compile(*circuit);
    REQUIRE(network);
    const auto rest = operating_point(*network);
    if (!rest) FAIL(rest.error().message);
    // A millisecond of it runs, whatever drives it by itself.
    Transient transient(*network, *rest, 0);
    const auto ran = transient.run_adaptive(1e-3, 0, 1e-4);
    if (!ran) FAIL(ran.error().message);
  }
  CHECK(devices == 23);
}
