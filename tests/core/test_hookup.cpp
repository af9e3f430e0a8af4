#include <catch2/catch.hpp>

#include "bench/hookup.h"
#include "device/expectation.h"
#include "study/hookup_words.h"
#include "support.h"

using namespace heron;
using namespace heron::bench;

namespace {

const InputLimits kInput{.ranges = {0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50}};

Chain chain(const char* sensor, std::optional<double> range = {}) {
  return {.name = "v1", .input = {.pin = "out", .range = range, .sensor = *find_stock_sensor(sensor)}};
}

}  // namespace

TEST_CASE("a chain amounts to its factor, range, count and weakest part", "[hookup]") {
  const auto s = summarise(chain("Probe x10", 5), kInput);
  CHECK(s.per_volt == Approx(10));
  CHECK(s.full_scale == Approx(50));
  CHECK(s.one_count == Approx(50.0 / 8192));
  CHECK(s.harm == 300);
  CHECK(s.harm_of == "the sensor");
  CHECK(s.loading_ohms == 10e6);
  // Poles join: 1/b^2 adds.
  CHECK(s.bandwidth == Approx(1 / std::hypot(1 / 25e6, 1 / 180e6)));
  auto divided = chain("Current transformer 20 A", 1);
  divided.input.ohms = 50;
  divided.input.attenuation = 10;
  const auto d = summarise(divided, kInput);
  CHECK(d.unit == "A");
  CHECK(d.per_volt == Approx(200));
  CHECK(d.harm == 20);
  CHECK(headroom_text(s, 4.1, 50.0) ==
        "expects 4.1 V peak, uses 8.2 % of the range, clips at 50 V, is harmed at 300 V");
}

TEST_CASE("a chain that cannot be right says so", "[hookup]") {
  CHECK(chain_troubles(chain("Probe x10")).empty());
  auto probe = chain("Probe x10");
  probe.input.ohms = 50;
  CHECK(chain_troubles(probe).size() == 1);
  auto lead = chain("Direct lead");
  lead.input.against = "in";
  CHECK_THAT(chain_troubles(lead).front(), Catch::Matchers::Contains("differential"));
  CHECK(chain_troubles(chain("Current transformer 20 A")).size() == 1);
}

TEST_CASE("a sense resistor is the largest that fits the drop", "[hookup]") {
  const auto p = propose_sense_resistor(20e-3, 0.25, kInput);
  REQUIRE(p);
  CHECK(p->resistance == Approx(12));
  CHECK(p->drop == Approx(0.24));
  CHECK(p->range == 0.5);
  CHECK(p->dissipation == Approx(4.8e-3));
  CHECK(p->one_count == Approx(0.5 / 8192 / 12));
  CHECK(propose_sense_resistor(1, 0.0999999, kInput)->resistance == Approx(82e-3));
  CHECK_FALSE(propose_sense_resistor(0, 1, kInput));
  CHECK_FALSE(propose_sense_resistor(1, -1, kInput));
  CHECK_FALSE(propose_sense_resistor(1, NAN, kInput));
  CHECK_FALSE(propose_sense_resistor(1, 1e4, kInput));
}

TEST_CASE("a known signal tells a forgotten factor from a small error", "[hookup]") {
  CHECK_FALSE(check_factor(1.003, 1, 0.004).likely_factor);
  CHECK(check_factor(0.1004, 1, 0.004).likely_factor == 0.1);
  CHECK(check_factor(19.8, 1, 0.01).likely_factor == 20.0);
  CHECK_FALSE(check_factor(1.3, 1, 0.01).likely_factor);
  CHECK_THAT(check_factor(1.3, 1, 0.01).verdict, Catch::Matchers::Contains("+30.00 %"));
}

TEST_CASE("channels are computed from others by formula, one from another", "[hookup]") {
  const std::vector<Computed> computed = {{"i_load", "A", "(v1 - v2)/R7"}, {"p", "W", "i_load*v2"}};
  const auto rows = compute_channels(computed, {"v1", "v2"}, {{5, 6, 7}, {4, 4, 4}}, {{"R7", 0.5}});
  REQUIRE(rows);
  CHECK((*rows)[0] == std::vector<double>{2, 4, 6});
  CHECK((*rows)[1] == std::vector<double>{8, 16, 24});
  const auto refuses = [&](const Computed& c) { return !compute_channels({c}, {"v1", "v2"}, {{1}, {2}}, {}); };
  CHECK(refuses({"i", "A", "v1/R9"}));
  CHECK(refuses({"i", "A", "v1 +"}));
  CHECK(refuses({"i", "A", ""}));
  CHECK(refuses({"v1", "A", "v2"}));
  CHECK(refuses({"a b", "A", "v2"}));
  CHECK(refuses({"i", "A", std::string(60, '(') + "v1" + std::string(60, ')')}));
  CHECK(refuses({"i", "A", std::string(600, '1')}));
}

TEST_CASE("hookups and sensor lists read back what was written, and refuse nonsense", "[hookup]") {
  Hookup hookup{.chains = {chain("Coil 1 kA", 0.2), chain("Differential probe x20")},
                .computed = {{"p", "W", "v1*v2"}}};
  hookup.chains[1].name = "v2";
  hookup.chains[1].input.against = "in";
  hookup.chains[1].zero = -1.5e-3;
  hookup.chains[1].deskew = 3e-9;
  hookup.chains[1].correction = 1.01;
  hookup.chains[1].input.coupling = Coupling::ac;
  hookup.chains[1].input.planted = Planted{.sensor = *find_stock_sensor("Probe x10"), .pin = "x"};
  const auto back = hookup_from_json(to_json(hookup));
  REQUIRE(back);
  CHECK(*back == hookup);
  const auto list = read_sensor_list(sensor_list_text(stock_sensors()), "s.json");
  REQUIRE(list);
  CHECK(*list == stock_sensors());

  using Catch::Matchers::Contains;
  const auto error = [](const std::string& text) {
    const auto read = read_sensor_list(text, "s.json");
    return read ? std::string() : read.error().message;
  };
  const auto one = [](const std::string& body) { return "{\"sensors\": [{" + body + "}]}"; };
  CHECK_THAT(error("{"), Contains("s.json: this is not JSON"));
  CHECK_THAT(error("[]"), Contains("sensors: a list"));
  CHECK_THAT(error(one("\"name\": \"a\", \"kind\": \"spoon\"")), Contains("\"spoon\" is not a kind"));
  CHECK_THAT(error(one("\"name\": \"a\", \"kind\": \"clamp\", \"factor\": -1")), Contains("factor"));
  CHECK_THAT(error(one("\"name\": \"a\", \"kind\": \"clamp\", \"factor\": \"1\"")), Contains("a number is wanted"));
  CHECK_THAT(error(one("\"name\": \"a\", \"kind\": \"shunt\", \"factor\": 1")), Contains("resistance"));
  CHECK_THAT(error(one("\"name\": \"a\", \"kind\": \"coil\", \"factor\": 1")), Contains("low_corner"));
  CHECK_THAT(error(one("\"name\": \"a\", \"kind\": \"clamp\", \"colour\": 1")), Contains("no such key"));
  CHECK_THAT(error("{\"sensors\": [{\"name\": \"a\", \"kind\": \"clamp\"}, {\"name\": \"a\", \"kind\": \"clamp\"}]}"),
             Contains("comes twice"));
  CHECK_FALSE(hookup_from_json({{"chains", {{{"pin", "x"}, {"ohms", 75}}}}}));
  CHECK_FALSE(hookup_from_json({{"chains", {{{"pin", "x"}, {"range", "wide"}}}}}));
}

TEST_CASE("every word of a hookup is typed, and refused with a reason", "[hookup]") {
  const std::vector<std::string> pins = {"in", "out", "supply current"};
  Hookup hookup{.chains = {chain("Direct lead")}};
  const auto set = [&](const std::string& key, const std::string& text) {
    return study::set_hookup_word(hookup, key, text, pins);
  };
  REQUIRE(set("v1.sensor", "Probe x10"));
  REQUIRE(set("v1.range", "500 mV"));
  REQUIRE(set("v1.pin", "in"));
  REQUIRE(set("v1.attenuation", "\u00f710"));
  REQUIRE(set("v1.coupling", "AC"));
  REQUIRE(set("v1.filter", "off"));
  REQUIRE(set("v1.deskew", "2.5 ns"));
  REQUIRE(set("v1.zero", "1.2 mV"));
  REQUIRE(set("v1.factor", "x20"));
  const auto& c = hookup.chains[0];
  CHECK(c.input.sensor.factor == Approx(0.05));
  CHECK(c.input.range == 0.5);
  CHECK(c.input.attenuation == 10);
  CHECK(c.deskew == Approx(2.5e-9));
  CHECK(*c.zero == Approx(1.2e-3));
  // Another sensor has another zero; a current transformer brings its 50 ohm along.
  REQUIRE(set("v1.sensor", "Current transformer 20 A"));
  CHECK_FALSE(c.zero);
  CHECK(c.input.ohms == 50);
  REQUIRE(set("v1.factor", "20 mV/A"));
  CHECK(c.input.sensor.factor == Approx(0.02));
  REQUIRE(set("add", "v2"));
  REQUIRE(set("compute", "p = v1*v2 [W]"));
  CHECK(hookup.computed.front().formula == "v1*v2");
  CHECK(hookup.computed.front().unit == "W");
  REQUIRE(set("v2.remove", ""));
  CHECK(hookup.chains.size() == 1);
  for (const auto& [key, text] : std::vector<std::pair<std::string, std::string>>{{"v1.pin", "nowhere"},
                                                                                  {"v1.sensor", "Spoon"},
                                                                                  {"v1.sensor", "{\"name\": 3}"},
                                                                                  {"v1.range", "-1 V"},
                                                                                  {"v1.range", "5 A"},
                                                                                  {"v1.ohms", "75 ohm"},
                                                                                  {"v1.coupling", "sideways"},
                                                                                  {"v1.attenuation", "0"},
                                                                                  {"v1.deskew", "1 s"},
                                                                                  {"v1.correction", "7"},
                                                                                  {"v9.range", "1 V"},
                                                                                  {"add", "v 3"},
                                                                                  {"add", "v1"},
                                                                                  {"compute", "v1*v2"},
                                                                                  {"compute", "v1 = 3"}}) {
    INFO(key << " = " << text);
    const auto ok = set(key, text);
    REQUIRE_FALSE(ok);
    CHECK_FALSE(ok.error().message.empty());
  }
}

TEST_CASE("what a dossier holds of hookup and device may be of any type", "[hookup][device]") {
  CHECK(hookup_from_json({{"chains", {{{"pin", "x"}, {"bandwidth_limit", "perhaps"}}}}}));
  CHECK(device::expectations_from_json({{{"name", 3}, {"formula", nullptr}}}).front().name.empty());
  CHECK(device::ratings_from_json({{"in", {{"voltage", "high"}}}, {"out", 7}}).at("in") == device::Rating{});
}

TEST_CASE("expectations carry the parts' tolerances", "[device]") {
  const std::map<std::string, device::PartFact> parts = {
      {"R3", {82e3, 0.01}}, {"C4", {100e-9, 0.05}}, {"X1.R", {1, 0}}};
  const auto corner = device::expect("1/(2*pi*R3*C4)", parts);
  REQUIRE(corner);
  const double f = 1 / (2 * std::numbers::pi * 82e3 * 100e-9);
  CHECK(corner->value == Approx(f));
  // To first order the relative widths add at worst, and as root of squares over the root of three when likely.
  CHECK(corner->worst == Approx(f * 0.06).epsilon(4e-3));
  CHECK(corner->likely == Approx(f * std::hypot(0.01, 0.05) / std::sqrt(3)).epsilon(4e-3));
  CHECK_FALSE(device::expect("1/(R3-R3)", parts));
  CHECK_FALSE(device::expect("R99", parts));
  CHECK_FALSE(device::expect("", parts));
}
