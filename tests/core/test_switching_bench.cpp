#include <catch2/catch.hpp>
#include <cmath>
#include <map>

#include "exchange/columns.h"
#include "sim/simulated_bench.h"
#include "study/switching/kind.h"
#include "study/switching/runner.h"
#include "study/switching/settings.h"
#include "study/switching/shot.h"

using namespace heron;

namespace switching_on_the_bench {
namespace {

namespace switching = study::switching;
using switching::Plan;

sim::Circuit half_bridge() {
  const auto text = exchange::read_file(std::string(HERON_SOURCE) + "/mudlark/thruster_half_bridge.toml");
  if (!text) FAIL(text.error().message);
  auto circuit = sim::read_circuit(*text, "thruster_half_bridge.toml");
  if (!circuit) FAIL(circuit.error().message);
  return *circuit;
}

bench::Sensor ideal(const char* stock) {
  auto out = *bench::find_stock_sensor(stock);
  out.bandwidth = out.delay = out.u_factor = out.offset = out.noise = 0;
  return out;
}

Plan plan(const bench::Sensor& volts, const bench::Sensor& amps, double resistor = 20) {
  Plan out{.bus_pin = "bus", .buses = {48}, .inductance = 40e-6, .currents = {20}};
  out.gap = 2e-6;
  out.second = 1.5e-6;
  out.gate_pin = "gate";
  out.gate_against = "source";
  out.other_pin = "upper gate";
  out.other_against = "drain";
  out.other = switching::Other::held;
  out.gate_low = -3;
  out.resistors = {resistor};
  out.before = 0.5e-6;
  out.after = 0.7e-6;
  out.rest = 1e-3;
  out.hookup.chains = {{.name = "v_ds", .input = {.pin = "drain", .range = 10, .sensor = volts, .bandwidth_limit = false}, .zero = 0},
                       {.name = "i_d", .input = {.pin = "return current", .range = 0.5, .sensor = amps, .bandwidth_limit = false}, .zero = 0}};
  return out;
}

struct Taken {
  Result<void> ended;
  std::vector<study::Point> points;
  std::vector<std::string> said, waited;
};
Taken take(const Plan& p, bench::Bench& bench, std::stop_token stop = {}, const std::function<void()>& at_each = {}) {
  Taken out;
  const study::Surroundings around;
  out.ended = switching::run(p, bench,
                             {.around = around,
                              .keep = [&](const study::Point& point) -> Result<void> {
                                out.points.push_back(point);
                                if (at_each) at_each();
                                return {};
                              },
                              .progress = [&](const study::Progress& g) { if (!g.waits.empty()) out.waited.push_back(g.waits); },
                              .say = [&](const std::string& s) { out.said.push_back(s); },
                              .stop = stop});
  return out;
}

study::Reading read(const std::vector<study::Point>& points, const study::SettingsText& settings = {}) {
  const auto out = switching::kind().analyse(points, settings, {});
  if (!out) FAIL(out.error().message);
  return out->reading;
}

}  // namespace

TEST_CASE("a shot's energies on the bench are what ideal sensors of a finer one say", "[switching][bench]") {
  // Nothing between the device and the samples, eight times as many of them.
  sim::BenchData fine;
  fine.fast.highest_sample_rate = 8e9;
  fine.fast.bits = 15;
  fine.fast.noise_density = 1e-12;
  fine.fast.range_noise = 1e-7;
  fine.fast.u_gain = fine.fast.u_offset = 1e-9;
  fine.fast.u_delay = 1e-15;
  fine.fast.full_bandwidth = 3e9;
  auto truly = plan(ideal("Probe x10"), ideal("Coaxial shunt 10 mohm"));
  truly.rate = 8e9;
  sim::SimulatedBench reference(half_bridge(), 3, fine);
  const auto is = take(truly, reference);
  REQUIRE(is.ended);
  const auto truth = read(is.points);
  REQUIRE(truth.find("energy.on"));
  REQUIRE(truth.find("energy.off"));

  SECTION("through ideal sensors at 1 GS/s") {
    sim::SimulatedBench bench(half_bridge(), 3);
    const auto r = read(take(plan(ideal("Probe x10"), ideal("Coaxial shunt 10 mohm")), bench).points);
    for (const char* key : {"energy.on", "energy.off"}) {
      INFO(key);
      CHECK(r.find(key)->value == Approx(truth.find(key)->value).epsilon(0.02));
    }
  }
  SECTION("through real ones, once the skew is accepted") {
    // Over three benches, whose inputs err each in their way.
    std::map<std::string, double> off;
    for (const unsigned seed : {3u, 4u, 5u}) {
      sim::SimulatedBench bench(half_bridge(), seed);
      auto late = plan(*bench::find_stock_sensor("Probe x10"), *bench::find_stock_sensor("Coaxial shunt 10 mohm"));
      // A cable that nobody knew of.
      auto behind = late.hookup.chains[1].input.sensor;
      behind.delay += 4e-9;
      late.hookup.chains[1].input.planted = bench::Planted{.sensor = behind, .pin = {}};
      const auto points = take(late, bench).points;
      const auto first = read(points);
      REQUIRE(first.find("skew"));
      const auto suspected = std::find_if(first.doubts.begin(), first.doubts.end(), [](const auto& d) { return d.key == "skew.suspected"; });
      REQUIRE(suspected != first.doubts.end());
      // Its own setting accepts it: nothing is left to be doubted.
      REQUIRE(suspected->settings.size() == 1);
      CHECK(suspected->settings.front().first == "skew");
      const auto accepted = read(points, {suspected->settings.front()});
      CHECK(std::abs(accepted.find("skew")->value) < 0.3e-9);
      CHECK(std::none_of(accepted.doubts.begin(), accepted.doubts.end(), [](const auto& d) { return d.key == "skew.suspected"; }));
      // The probe is slower than the shunt by a quarter of a nanosecond.
      CHECK(first.find("skew")->value == Approx(3.75e-9).margin(0.7e-9));
      const auto r = read(points, {{"skew", fmt::format("{:.6g} s", first.find("skew")->value)}});
      for (const char* key : {"energy.on", "energy.off"}) {
        INFO(seed << " " << key << " " << r.find(key)->value << " +- " << r.find(key)->u.value_or(0) << ", ideal " << truth.find(key)->value);
        const double by = r.find(key)->value / truth.find(key)->value - 1;
        CHECK(std::abs(by) < std::max(0.02, 3 * r.find(key)->u.value_or(0) / r.find(key)->value));
        off[key] += by / 3;
      }
    }
    for (const auto& [key, by] : off) {
      INFO(key);
      CHECK(std::abs(by) < 0.02);
    }
  }
}

TEST_CASE("the bus is charged before a shot and read empty after it", "[switching][bench]") {
  sim::SimulatedBench bench(half_bridge(), 1);
  CHECK(!bench.read_bus(1e-3, {}));
  const auto taken = take(plan(*bench::find_stock_sensor("Probe x10"), *bench::find_stock_sensor("Coaxial shunt 10 mohm")), bench);
  REQUIRE(taken.ended);
  REQUIRE(taken.points.size() == 1);
  CHECK(taken.points.front().setting.json().at("current") == 20.0);
  REQUIRE(taken.said.size() == 1);
  CHECK_THAT(taken.said.front(), Catch::Matchers::Contains("The bus is empty: it reads"));
  CHECK(std::any_of(taken.waited.begin(), taken.waited.end(), [](const std::string& w) { return w.find("for the bus to empty; it reads") != std::string::npos; }));
  const auto left = bench.read_bus(1e-3, {});
  REQUIRE(left);
  CHECK(left->voltage < 5);
  // Its small picture has every quantity all along, though their chains are late by unlike times.
  const auto small = (*switching::kind().reduce(taken.points, {}))->small();
  REQUIRE(small.columns.size() == 2);
  for (const auto& column : small.columns) CHECK(std::all_of(column.y.begin(), column.y.end(), [](double y) { return std::isfinite(y); }));
  // The shot itself is the one that was asked for.
  const auto shot = *switching::read_shot(*switching::waveforms_of(taken.points.front(), {}), {});
  REQUIRE(shot->off);
  CHECK(shot->off->load.value == Approx(20).epsilon(0.1));
  CHECK(shot->off->bus.value == Approx(48.5).epsilon(0.03));
}

TEST_CASE("stopping between shots keeps what was read and empties the bus all the same", "[switching][bench]") {
  sim::SimulatedBench bench(half_bridge(), 1);
  auto several = plan(*bench::find_stock_sensor("Probe x10"), *bench::find_stock_sensor("Coaxial shunt 10 mohm"));
  several.shots = 4;
  std::stop_source stop;
  const auto taken = take(several, bench, stop.get_token(), [&] { stop.request_stop(); });
  REQUIRE(!taken.ended);
  CHECK(taken.ended.error().fault == Fault::stopped);
  CHECK_THAT(taken.ended.error().message, Catch::Matchers::Contains("1 of 4 shots"));
  CHECK(taken.points.size() == 1);
  REQUIRE(taken.said.size() == 1);
  CHECK_THAT(taken.said.front(), Catch::Matchers::Contains("The bus is empty"));
}

TEST_CASE("a bus that is swept downwards is emptied to the next voltage", "[switching][bench]") {
  sim::SimulatedBench bench(half_bridge(), 1);
  auto down = plan(*bench::find_stock_sensor("Probe x10"), *bench::find_stock_sensor("Coaxial shunt 10 mohm"));
  down.buses = {48, 24};
  down.currents = {5};
  const auto taken = take(down, bench);
  if (!taken.ended) FAIL(taken.ended.error().message);
  REQUIRE(taken.points.size() == 2);
  const auto second = *switching::read_shot(*switching::waveforms_of(taken.points[1], {}), {});
  REQUIRE(second->off);
  CHECK(second->off->bus.value == Approx(24.5).epsilon(0.04));
}

TEST_CASE("the bench refuses what would harm: ratings, both gates at once, more than it has", "[switching][bench]") {
  sim::SimulatedBench bench(half_bridge(), 1);
  REQUIRE(bench.connect({}));
  const auto message = [](const Result<void>& r) {
    REQUIRE(!r);
    CHECK(r.error().fault == Fault::bench);
    return r.error().message;
  };
  CHECK_THAT(message(bench.charge({.pin = "bus", .voltage = 80})), Catch::Matchers::Contains("its rating is 75 V"));
  CHECK_THAT(message(bench.charge({.pin = "bus", .voltage = 700})), Catch::Matchers::Contains("reaches 600 V"));
  CHECK_THAT(message(bench.charge({.pin = "nowhere", .voltage = 10})), Catch::Matchers::Contains("no pin"));
  const bench::GateSetup low{.pin = "gate", .against = "source", .pulses = {{1e-6, 3e-6}}};
  auto high = bench::GateSetup{.pin = "upper gate", .against = "drain", .pulses = {{3.01e-6, 4e-6}}};
  CHECK_THAT(message(bench.gates({low, high})), Catch::Matchers::Contains("Both gates would be on at once"));
  high.pulses = {{3.03e-6, 4e-6}};
  CHECK(bench.gates({low, high}));
  high.pulses = {{2e-6, 2.5e-6}};
  CHECK_THAT(message(bench.gates({low, high})), Catch::Matchers::Contains("at once"));
  auto wrong = low;
  wrong.high = 20;
  CHECK_THAT(message(bench.gates({wrong})), Catch::Matchers::Contains("rating is 18 V"));
  wrong = low;
  wrong.on_resistance = 0.1;
  CHECK_THAT(message(bench.gates({wrong})), Catch::Matchers::Contains("less is asked"));
  wrong = low;
  wrong.pulses = {{1e-6, 2e-6}, {1.5e-6, 3e-6}};
  CHECK_THAT(message(bench.gates({wrong})), Catch::Matchers::Contains("one after the other"));
  wrong = low;
  wrong.low = 5;
  wrong.high = 3;
  CHECK(!bench.gates({wrong}));
  CHECK_THAT(message(bench.gates({low, high, low})), Catch::Matchers::Contains("has 2 outputs"));
}

TEST_CASE("a gate without its driver is off", "[switching][bench]") {
  sim::SimulatedBench bench(half_bridge(), 1);
  const bench::InputSetup gate{.pin = "gate", .range = 5, .sensor = *bench::find_stock_sensor("Probe x10")};
  REQUIRE(bench.connect({gate}));
  REQUIRE(bench.gates({{.pin = "gate", .against = "source", .low = 0, .high = 12, .pulses = {{1e-6, 1}}}}));
  REQUIRE(bench.charge({.pin = "bus", .voltage = 12}));
  const auto on = bench.capture(10e6, 200, {});
  REQUIRE(on);
  CHECK(on->channels.front().volts().back() == Approx(1.2).epsilon(0.05));
  bench.off();
  const auto left = bench.capture(1e6, 2000, {});
  REQUIRE(left);
  CHECK(std::abs(left->channels.front().volts().back()) < 0.02);
}

}  // namespace switching_on_the_bench
