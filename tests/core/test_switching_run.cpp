#include <cmath>

#include "exchange/columns.h"
#include "noting_bench.h"
#include "study/switching/kind.h"
#include "study/switching/runner.h"
#include "support.h"

using namespace heron;

/// What a plan of shots asks of the bench, in which order, and what it keeps beside the samples.
namespace switching_run {
namespace {

namespace switching = study::switching;
using Catch::Matchers::Contains;
using switching::Other;
using switching::Plan;
using Calls = std::vector<std::string>;

sim::Circuit half_bridge() {
  const auto text = exchange::read_file(std::string(HERON_SOURCE) + "/mudlark/thruster_half_bridge.toml");
  if (!text) FAIL(text.error().message);
  auto circuit = sim::read_circuit(*text, "thruster_half_bridge.toml");
  if (!circuit) FAIL(circuit.error().message);
  return *circuit;
}

/// A bench that notes what its gates are told, and whose bus may read otherwise.
class GateBench final : public sim::SimulatedBench {
 public:
  GateBench() : sim::SimulatedBench(half_bridge(), 3) {}

  Calls calls;
  std::vector<std::vector<bench::GateSetup>> gated;
  std::vector<bench::BusSetup> charged;
  std::vector<double> waited, apertures;
  std::vector<std::pair<double, int>> captured;
  std::function<void(bench::SourceReading&)> on_bus = {};
  std::function<Result<void>(const std::string&)> before = {};

  Result<void> gates(const std::vector<bench::GateSetup>& setups) override {
    gated.push_back(setups);
    if (auto ok = note("gates"); !ok) return ok;
    return sim::SimulatedBench::gates(setups);
  }
  Result<void> charge(const bench::BusSetup& setup) override {
    charged.push_back(setup);
    if (auto ok = note("charge"); !ok) return ok;
    return sim::SimulatedBench::charge(setup);
  }
  Result<bench::SourceReading> read_bus(double aperture, std::stop_token stop) override {
    apertures.push_back(aperture);
    if (auto ok = note("read_bus"); !ok) return tl::unexpected(ok.error());
    auto out = sim::SimulatedBench::read_bus(aperture, stop);
    if (out && on_bus) on_bus(*out);
    return out;
  }
  Result<void> tell(std::string_view quantity, double value) override {
    if (auto ok = note("tell"); !ok) return ok;
    return sim::SimulatedBench::tell(quantity, value);
  }
  Result<void> wait(double seconds, std::stop_token stop) override {
    waited.push_back(seconds);
    if (auto ok = note("wait"); !ok) return ok;
    return sim::SimulatedBench::wait(seconds, stop);
  }
  Result<bench::Capture> capture(double rate, int samples, std::stop_token stop, const bench::StretchSink& sink) override {
    captured.emplace_back(rate, samples);
    if (auto ok = note("capture"); !ok) return tl::unexpected(ok.error());
    return sim::SimulatedBench::capture(rate, samples, stop, sink);
  }
  void off() override {
    calls.push_back("off");
    sim::SimulatedBench::off();
  }

 private:
  Result<void> note(const std::string& call) {
    calls.push_back(call);
    return before ? before(call) : Result<void>{};
  }
};

bench::Sensor ideal(const char* stock) {
  auto out = *bench::find_stock_sensor(stock);
  out.bandwidth = out.delay = out.u_factor = out.offset = out.noise = 0;
  return out;
}

Plan plan() {
  Plan out{.bus_pin = "bus", .buses = {24}, .inductance = 40e-6, .currents = {4}};
  out.gap = 1.5e-6;
  out.second = 0.5e-6;
  out.gate_pin = "gate";
  out.gate_against = "source";
  out.other_pin = "upper gate";
  out.other_against = "drain";
  out.other = Other::held;
  out.gate_low = -3;
  out.resistors = {20};
  out.before = 0.5e-6;
  out.after = 0.5e-6;
  out.rest = 0.25;
  out.rate = 0.25e9;
  out.hookup.chains = {{.name = "v_ds", .input = {.pin = "drain", .range = 10, .sensor = ideal("Probe x10"), .bandwidth_limit = false}, .zero = 0},
                       {.name = "i_d", .input = {.pin = "return current", .range = 0.5, .sensor = ideal("Coaxial shunt 10 mohm"), .bandwidth_limit = false}, .zero = 0}};
  return out;
}

struct Ran {
  Result<void> ended;
  std::vector<study::Point> kept = {};
  std::vector<study::Progress> told = {};
  std::vector<std::string> said = {};
};
Ran run(const Plan& p, bench::Bench& bench, const study::SettingsText& settings = {}, std::stop_token stop = {}) {
  Ran out;
  study::Surroundings around;
  around.settings = settings;
  out.ended = switching::run(p, bench,
                             {.around = around,
                              .keep = [&](const study::Point& point) -> Result<void> {
                                out.kept.push_back(point);
                                return {};
                              },
                              .progress = [&](const study::Progress& g) { out.told.push_back(g); },
                              .say = [&](const std::string& s) { out.said.push_back(test::spaced(s)); },
                              .stop = stop});
  return out;
}

/// Without what only waits for the bus.
Calls but_for_waiting(const Calls& all) {
  Calls out;
  for (const auto& c : all)
    if (c != "wait" && c != "read_bus") out.push_back(c);
  return out;
}

}  // namespace

TEST_CASE("a shot's gates rest, the bus is charged, both pulses are told at once, and all goes off", "[switching][run]") {
  auto p = plan();
  p.other = Other::opposite;
  p.dead_time = 200e-9;
  p.off_resistor = 10;
  p.temperatures = {40};
  GateBench bench;
  const auto ran = run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(but_for_waiting(bench.calls) == Calls{"off", "tell", "gates", "charge", "gates", "capture", "gates", "off"});
  REQUIRE(bench.gated.size() == 3);
  const auto& fired = bench.gated[1];
  REQUIRE(fired.size() == 2);
  // 40 uH and 4 A on 24 V: 6.667 us.
  const double a = 0.5e-6, b = a + 40e-6 * 4 / 24, c = b + 1.5e-6, d = c + 0.5e-6;
  CHECK(fired[0].pin == "gate");
  CHECK(fired[0].against == "source");
  CHECK(fired[0].low == -3);
  CHECK(fired[0].high == 12);
  CHECK(fired[0].on_resistance == 20);
  CHECK(fired[0].off_resistance == 10);
  REQUIRE(fired[0].pulses.size() == 2);
  CHECK(fired[0].pulses[0].first == Approx(a));
  CHECK(fired[0].pulses[0].second == Approx(b));
  CHECK(fired[0].pulses[1].first == Approx(c));
  CHECK(fired[0].pulses[1].second == Approx(d));
  CHECK(fired[1].pin == "upper gate");
  REQUIRE(fired[1].pulses.size() == 1);
  CHECK(fired[1].pulses[0].first == Approx(b + 200e-9));
  CHECK(fired[1].pulses[0].second == Approx(c - 200e-9));
  for (const std::size_t k : {0u, 2u})
    for (const auto& g : bench.gated[k]) CHECK(g.pulses.empty());
  REQUIRE(bench.charged.size() == 1);
  CHECK(bench.charged[0].pin == "bus");
  CHECK(bench.charged[0].voltage == 24);
  CHECK(bench.captured.front().first == 0.25e9);
  CHECK(bench.captured.front().second == int(std::llround((d + 0.5e-6) * 0.25e9)) + 1);
  REQUIRE(ran.kept.size() == 1);
  const auto& about = ran.kept[0].setting.json();
  CHECK(about.at("bus") == 24);
  CHECK(about.at("current") == 4);
  CHECK(about.at("gate_resistor") == 20);
  CHECK(about.at("temperature") == 40);
  CHECK(about.at("trigger_at").get<double>() == Approx(0.5e-6).margin(5e-9));
  CHECK(about.at("chains").at("v_ds").at("slowest") == "the input");
  CHECK(ran.kept[0].records[0].channels[0].role == "v_ds");
  CHECK(ran.kept[0].records[0].pass == 0);
  // A reading of the bus takes a cycle of the mains.
  for (const double aperture : bench.apertures) CHECK(aperture == 20e-3);
  // Told as it waits for the bus, fires, and ends; the bus is said to be empty once it reads so.
  CHECK(ran.told.back().done == 1);
  REQUIRE(ran.said.size() == 1);
  CHECK_THAT(ran.said[0], Contains("The bus is empty: it reads ") && Contains("below the 5 V that are safe."));
}

TEST_CASE("shots of one setting follow at their distance, another setting is prepared anew", "[switching][run]") {
  auto p = plan();
  p.currents = {2, 4};
  p.shots = 2;
  p.other = Other::alone;
  GateBench bench;
  const auto ran = run(p, bench, {{"safe_voltage", "50 V"}});
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(but_for_waiting(bench.calls) == Calls{"off", "gates", "charge", "gates", "capture", "gates", "gates", "capture", "gates", "gates", "charge", "gates", "capture", "gates", "gates", "capture", "gates", "off"});
  for (const auto& g : bench.gated) CHECK(g.size() == 1);
  REQUIRE(ran.kept.size() == 4);
  for (int k = 0; k < 4; ++k) {
    CHECK(ran.kept[std::size_t(k)].index == k);
    CHECK(ran.kept[std::size_t(k)].setting.json().at("current") == (k < 2 ? 2.0 : 4.0));
    CHECK_FALSE(ran.kept[std::size_t(k)].setting.json().contains("temperature"));
  }
  // From one shot to the next a quarter of a second, of which the shot itself takes next to nothing; none after the last.
  CHECK(std::count_if(bench.waited.begin(), bench.waited.end(), [](double s) { return s > 0.2 && s <= 0.25; }) == 3);
  // Of the whole what is left.
  const double whole = p.seconds(bench.limits());
  std::vector<study::Progress> fired;
  for (const auto& g : ran.told)
    if (g.waits.empty()) fired.push_back(g);
  REQUIRE(fired.size() >= 2);
  CHECK(fired[0].total == 4);
  CHECK(fired[0].done == 0);
  CHECK(fired[0].bench_seconds_left == Approx(whole));
  CHECK(fired[1].done == 1);
  CHECK(fired[1].bench_seconds_left == Approx(whole * 3 / 4));
  CHECK(fired.back().done == 4);
  // 24 V are safe where 50 V are.
  CHECK_THAT(ran.said.back(), Contains("below the 50 V that are safe"));
}

TEST_CASE("a bus that never comes to its voltage ends the run, one that is not empty is told so", "[switching][run][bad]") {
  auto p = plan();
  GateBench low;
  low.on_bus = [](bench::SourceReading& r) { r.voltage = 20; };
  const auto held = run(p, low);
  REQUIRE_FALSE(held.ended);
  CHECK(held.ended.error().fault == Fault::bench);
  CHECK(test::spaced(held.ended.error().message) == "The bus reads 20.0 V and does not come to 24 V: something holds it.");
  CHECK(held.kept.empty());
  REQUIRE(held.said.size() == 1);
  CHECK(held.said[0] == "The bus still reads 20 V. Do not touch it; find what feeds it.");
  CHECK(std::any_of(held.told.begin(), held.told.end(), [](const auto& g) { return test::spaced(g.waits) == "for the bus to reach 24 V; it reads 20.0 V"; }));
  CHECK(std::any_of(held.told.begin(), held.told.end(), [](const auto& g) { return test::spaced(g.waits) == "for the bus to empty; it reads 20 V"; }));
  // Half a minute, and three times what charging should take: a farad to 24 V by 1.5 A.
  auto large = p;
  large.capacitance = 1;
  GateBench patient;
  patient.on_bus = [](bench::SourceReading& r) { r.voltage = 20; };
  std::vector<double> looked;
  patient.before = [&](const std::string& call) -> Result<void> {
    if (call == "read_bus") looked.push_back(patient.elapsed());
    return {};
  };
  const auto charging = run(large, patient);
  CHECK_FALSE(charging.ended);
  const auto fed = std::find(patient.calls.begin(), patient.calls.end(), "charge");
  const auto given_up = std::find(fed, patient.calls.end(), "off");
  const auto times = std::size_t(std::count(fed, given_up, "read_bus"));
  REQUIRE(times > 10);
  // So long is waited between two readings while it charges, longer while it empties.
  CHECK(patient.waited.front() == 20e-3);
  CHECK(patient.waited.back() == 0.1);
  CHECK(looked[times - 1] - looked[0] == Approx(30 + 3 * 24 / patient.limits().bus_current).margin(0.1));
  // Charged enough: within a per cent, and three times what its reading is known to.
  for (const auto& [reads, u, fires] : {std::tuple{23.8, 0.0, true}, {23.7, 0.0, false}, {23.7, 0.03, true}, {23.7, 0.019, false}}) {
    CAPTURE(reads);
    GateBench bench;
    bool emptying = false;
    bench.before = [&](const std::string& call) -> Result<void> {
      emptying = emptying || call == "capture";
      return {};
    };
    bench.on_bus = [&, v = reads, known = u](bench::SourceReading& r) {
      r.voltage = emptying ? 0 : v;
      r.u_voltage = emptying ? 0 : known;
    };
    CHECK(bool(run(p, bench).ended) == fires);
  }
  // Safe is what reads so with twice its uncertainty.
  for (const auto& [u, empty] : {std::pair{0.4, true}, {0.6, false}}) {
    GateBench bench;
    bool emptying = false;
    bench.before = [&](const std::string& call) -> Result<void> {
      emptying = emptying || call == "capture";
      return {};
    };
    bench.on_bus = [&, known = u](bench::SourceReading& r) {
      if (!emptying) return;
      r.voltage = 4;
      r.u_voltage = known;
    };
    const auto ran = run(p, bench);
    REQUIRE(ran.said.size() == 1);
    CHECK(ran.said[0].starts_with("The bus is empty") == empty);
  }
}

TEST_CASE("a point says what sets each chain's bandwidth", "[switching][run]") {
  const auto slowest = [](double bandwidth) {
    auto p = plan();
    p.hookup.chains[0].input.sensor.bandwidth = bandwidth;
    GateBench bench;
    const auto ran = run(p, bench);
    if (!ran.ended) FAIL(ran.ended.error().message);
    REQUIRE(ran.kept.size() == 1);
    return ran.kept[0].setting.json().at("chains").at("v_ds");
  };
  CHECK(slowest(0).at("slowest") == "the input");
  const double input = slowest(0).at("bandwidth");
  CHECK(input > 10e6);
  // Much slower than the input, as fast, and much faster.
  CHECK(slowest(input / 100).at("slowest") == "Probe x10");
  CHECK(slowest(input / 100).at("bandwidth").get<double>() == Approx(input / 100).epsilon(0.01));
  CHECK(slowest(input).at("slowest") == "Probe x10");
  CHECK(slowest(input * 10).at("slowest") == "the input");
}

TEST_CASE("a temperature is told where it changes, a bus that is too high is emptied first", "[switching][run]") {
  auto p = plan();
  p.rest = 0;
  p.temperatures = {25, 60};
  p.currents = {2, 4};
  GateBench bench;
  const auto ran = run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(ran.kept.size() == 4);
  std::vector<double> temperatures;
  for (const auto& point : ran.kept) temperatures.push_back(point.setting.json().at("temperature"));
  const auto changes = std::size_t(1 + std::count_if(temperatures.begin() + 1, temperatures.end(), [&, k = 0](double t) mutable { return t != temperatures[std::size_t(k++)]; }));
  CHECK(std::size_t(std::count(bench.calls.begin(), bench.calls.end(), "tell")) == changes);
  // A per cent above what is wanted is emptied, less is let stand until it comes by itself.
  for (const auto& [reads, emptied] : {std::pair{24.3, true}, {24.23, false}}) {
    CAPTURE(reads);
    GateBench high;
    int read = 0;
    auto one = plan();
    // Read once too high, known so well that it does not count as charged; then as it is wanted.
    high.on_bus = [&, v = reads](bench::SourceReading& r) {
      if (read++ == 0) r.voltage = v;
      r.u_voltage = 0;
    };
    const auto done = run(one, high);
    const auto first = std::find(high.calls.begin(), high.calls.end(), "read_bus"), fired = std::find(high.calls.begin(), high.calls.end(), "capture");
    REQUIRE(first < fired);
    CHECK((std::find(first, fired, "off") != fired) == emptied);
  }
}

TEST_CASE("whatever fails, the gates rest, all goes off and the bus is watched", "[switching][run][bad]") {
  for (const char* call : {"gates", "charge", "capture", "tell"}) {
    CAPTURE(call);
    auto p = plan();
    p.temperatures = {40};
    GateBench bench;
    bench.before = [&](const std::string& asked) -> Result<void> {
      if (asked == call) return fail(Fault::bench, "{} failed.", asked);
      return {};
    };
    const auto ran = run(p, bench);
    REQUIRE_FALSE(ran.ended);
    CHECK(ran.ended.error().message == std::string(call) + " failed.");
    CHECK(std::find(bench.calls.begin(), bench.calls.end(), "off") != bench.calls.end());
    CHECK(ran.kept.empty());
    CHECK(ran.said.size() == (std::string_view(call) == "capture" ? 1u : 0u));
  }
  // A bus that cannot be read, or be waited for, may stand high.
  auto p = plan();
  GateBench blind;
  bool charged = false;
  blind.before = [&](const std::string& call) -> Result<void> {
    charged = charged || call == "capture";
    if (call == "read_bus" && charged) return fail(Fault::bench, "No reading.");
    return {};
  };
  const auto unread = run(p, blind);
  REQUIRE(unread.said.size() == 1);
  CHECK(unread.said[0] == "The bus cannot be read: No reading. Do not touch it.");
  GateBench stuck;
  stuck.on_bus = [](bench::SourceReading& r) { r.voltage = 24; };
  bool fired = false;
  stuck.before = [&](const std::string& call) -> Result<void> {
    fired = fired || call == "capture";
    if (call == "wait" && fired) return fail(Fault::bench, "No clock.");
    return {};
  };
  CHECK(run(p, stuck).said == Calls{"The bus cannot be watched. Do not touch it."});
  p.hookup.chains[0].input.range.reset();
  GateBench looks;
  const auto ranging = run(p, looks);
  REQUIRE_FALSE(ranging.ended);
  CHECK(ranging.ended.error().message == "v_ds looks for its range by itself, and a shot is over before it has found it.");
  GateBench unset;
  CHECK_FALSE(run(plan(), unset, {{"speed", "1"}}).ended);
  CHECK(unset.calls.empty());
  std::stop_source stop;
  stop.request_stop();
  GateBench stopped;
  const auto none = run(plan(), stopped, {}, stop.get_token());
  REQUIRE_FALSE(none.ended);
  CHECK(none.ended.error().message == "Stopped after 0 of 1 shots; what was read is kept.");
  CHECK(stopped.charged.empty());
}

}  // namespace switching_run
