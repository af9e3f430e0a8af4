#include <cmath>

#include "noting_bench.h"
#include "study/conversion/assembly.h"
#include "study/conversion/kind.h"
#include "study/conversion/reduced.h"
#include "study/conversion/runner.h"
#include "waveform_support.h"

using namespace heron;

/// What a plan of conversion asks of the bench, in which order, and what it keeps beside its readings.
namespace conversion_run {
namespace {

namespace conversion = study::conversion;
using Catch::Matchers::Contains;
using conversion::Feeder;
using conversion::Method;
using conversion::Plan;
using Calls = std::vector<std::string>;

/// Ten ohms from the input to the output, whose body takes 50 K/W and has 60 s; what goes in comes out less their part.
constexpr const char* kDivider =
    "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n[branches]\n\"i out\" = \"R1.b\"\n[told]\n\"clock\" = \"V9.frequency\"\n[temperatures]\n\"body\" = \"heat\"\n"
    "[part.R1]\nkind = \"warm resistor\"\na = \"in\"\nb = \"out\"\nheat = \"heat\"\nvalue = \"1 ohm\"\ntemperature_coefficient = \"4000 ppm/K\"\n"
    "[part.RTH]\nkind = \"resistor\"\nbetween = [\"heat\", \"ground\"]\nvalue = \"50 ohm\"\n[part.CTH]\nkind = \"capacitor\"\nbetween = [\"heat\", \"ground\"]\nvalue = \"1.2 F\"\n"
    "[part.CIN]\nkind = \"capacitor\"\nbetween = [\"in\", \"ground\"]\nvalue = \"10 uF\"\nseries_resistance = \"10 mohm\"\n[part.ROUT]\nkind = \"resistor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"10 kohm\"\n"
    "[part.V9]\nkind = \"voltage source\"\nbetween = [\"x\", \"ground\"]\nvalue = \"0 V\"\nfrequency = \"1 kHz\"\n[part.R9]\nkind = \"resistor\"\nbetween = [\"x\", \"ground\"]\nvalue = \"1 kohm\"\n";

bench::Chain chain(const char* name, const char* pin, const char* sensor, std::optional<double> range) {
  bench::Chain out{.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
  return out;
}

Plan plan() {
  Plan out{.source_pin = "in", .load_pin = "out", .lines = {5, 10}, .loads = {0.1, 0.2}, .source_limit = 2};
  out.settle_time = 3e-3;
  return out;
}

struct Ran {
  Result<void> ended;
  std::vector<study::Point> kept = {};
  std::vector<study::Progress> told = {};
  std::vector<std::string> tripped = {};
};
struct Watching {
  study::SettingsText settings = {};
  std::stop_source stop = {};
  std::function<void(const study::Progress&)> progress = {};

  Ran run(const Plan& plan, test::NotingBench& bench) {
    Ran out;
    study::Surroundings around;
    around.settings = settings;
    out.ended = conversion::run(plan, bench, {.around = around,
                                              .keep = [&](const study::Point& p) -> Result<void> {
                                                out.kept.push_back(p);
                                                return {};
                                              },
                                              .progress = [&](const study::Progress& p) {
                                                out.told.push_back(p);
                                                if (progress) progress(p);
                                              },
                                              .tripped = [&](const study::Watch& w) { out.tripped.push_back(w.name); },
                                              .stop = stop.get_token()});
    return out;
  }
};

test::NotingBench bench_of(std::uint64_t seed = 4) { return test::NotingBench(waveform_bench::circuit(kDivider), seed); }
const nlohmann::json& about(const Ran& ran, std::size_t k) { return ran.kept.at(k).setting.json(); }

}  // namespace

TEST_CASE("points are set source first, the line only where it changes, and end load first", "[conversion][run]") {
  auto p = plan();
  p.warm_up = 0.5;
  auto bench = bench_of();
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  // Read by their instruments themselves: nothing is connected.
  CHECK(bench.calls == Calls{"off", "supply", "load", "wait", "load", "wait", "supply", "load", "wait", "load", "wait", "load", "wait", "off"});
  REQUIRE(bench.supplied.size() == 2);
  CHECK(bench.supplied[0].pin == "in");
  CHECK(bench.supplied[0].voltage == 5);
  CHECK(bench.supplied[0].current_limit == 2);
  CHECK(bench.supplied[0].sensed);
  CHECK_FALSE(bench.supplied[0].steps_to);
  CHECK(bench.supplied[1].voltage == 10);
  REQUIRE(bench.loaded.size() == 5);
  CHECK(bench.loaded[0].pin == "out");
  CHECK(bench.loaded[0].value == 0.1);
  CHECK(bench.loaded[1].value == 0.2);
  CHECK(bench.loaded[4].value == 0);
  CHECK(bench.waited[0] == Approx(0.503));
  CHECK(bench.waited[1] == Approx(3e-3));
  CHECK(bench.waited.back() == Approx(1e-3));
  REQUIRE(ran.kept.size() == 4);
  for (int k = 0; k < 4; ++k) {
    CAPTURE(k);
    const auto& a = about(ran, std::size_t(k));
    CHECK(ran.kept[std::size_t(k)].index == k);
    CHECK(a.at("line") == (k < 2 ? 5.0 : 10.0));
    CHECK(a.at("load") == (k % 2 == 0 ? 0.1 : 0.2));
    CHECK(a.at("sensed") == true);
    CHECK(a.at("stepped") == false);
    CHECK(a.at("agreed") == true);
    CHECK_FALSE(a.contains("leads"));
    CHECK_FALSE(a.contains("warming"));
    CHECK_FALSE(a.contains("watched"));
    CHECK_FALSE(a.contains("frequency"));
    CHECK(a.at("supply").at("voltage").get<double>() == Approx(k < 2 ? 5 : 10).margin(0.05));
    CHECK(a.at("load_reading").at("current").get<double>() == Approx(k % 2 == 0 ? 0.1 : 0.2).margin(0.01));
  }
  // Told as each begins, with what is left of the whole.
  REQUIRE(ran.told.size() == 4);
  const double whole = p.seconds(bench.limits());
  for (std::size_t k = 0; k < 4; ++k) {
    CHECK(ran.told[k].done == int(k));
    CHECK(ran.told[k].total == 4);
    CHECK(ran.told[k].bench_seconds_left == Approx(whole * double(4 - k) / 4));
    CHECK(ran.told[k].share == 0);
  }
}

TEST_CASE("a rest between points unloads and sets the source anew", "[conversion][run]") {
  auto p = plan();
  p.lines = {5};
  p.rest = 0.25;
  auto bench = bench_of();
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.calls == Calls{"off", "supply", "load", "wait", "load", "wait", "supply", "load", "wait", "load", "wait", "off"});
  CHECK(bench.loaded[1].value == 0);
  CHECK(bench.waited[1] == 0.25);
  // A resistance is not taken down to nothing ohms, neither for a rest nor at the end.
  p.mode = bench::LoadMode::resistance;
  p.loads = {50, 100};
  auto other = bench_of();
  const auto by_ohms = Watching().run(p, other);
  if (!by_ohms.ended) FAIL(by_ohms.ended.error().message);
  CHECK(other.calls == Calls{"off", "supply", "load", "wait", "wait", "supply", "load", "wait", "off"});
  CHECK(test::spaced(about(by_ohms, 0).at("load_set").get<std::string>()) == "50 Ω");
  CHECK_FALSE(about(by_ohms, 0).contains("load"));
  p.mode = bench::LoadMode::power;
  p.loads = {0.5};
  auto third = bench_of();
  CHECK(test::spaced(about(Watching().run(p, third), 0).at("load_set").get<std::string>()) == "500 mW");
}

TEST_CASE("what is told and where it is sensed is kept with each point", "[conversion][run]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {0.1};
  p.sensed = false;
  p.told = "clock";
  p.told_unit = "Hz";
  p.told_values = {1e3, 2e3};
  auto bench = bench_of();
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.told == std::vector<std::pair<std::string, double>>{{"clock", 1e3}, {"clock", 2e3}});
  CHECK(about(ran, 1).at("frequency") == 2e3);
  CHECK_FALSE(about(ran, 1).contains("temperature"));
  CHECK(about(ran, 1).at("leads") == bench.limits().lead_resistance);
  CHECK(about(ran, 1).at("sensed") == false);
  CHECK_FALSE(bench.supplied[0].sensed);
  CHECK_FALSE(bench.loaded[0].sensed);
  p.told = "temperature";
  p.told_unit = "degC";
  p.told_values = {40};
  auto warm = bench_of();
  const auto at = Watching().run(p, warm);
  CHECK(about(at, 0).at("temperature") == 40);
  CHECK_FALSE(about(at, 0).contains("frequency"));
}

TEST_CASE("instruments read what no input does, for as long as the inputs would", "[conversion][run]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {0.1};
  p.hookup.chains = {chain("vin", "in", "Probe x10", 1), chain("vout", "out", "Probe x10", 1), chain("iout", "i out", "Clamp 40 A", 0.5)};
  p.rate = 100e3;
  p.readings = 500;
  auto bench = bench_of();
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.calls == Calls{"off", "connect", "supply", "load", "wait", "capture", "load", "wait", "off"});
  CHECK(bench.captured.front().samples == 500);
  CHECK(bench.captured.front().rate == 100e3);
  // The input's current is nowhere sensed, the output has both.
  CHECK(about(ran, 0).contains("supply"));
  CHECK_FALSE(about(ran, 0).contains("load_reading"));
  CHECK(about(ran, 0).at("fastest") == bench.limits().highest_sample_rate);
  // At the supplies' terminals both are read all the same: what differs is lost between.
  p.sensed = false;
  auto local = bench_of();
  const auto both = Watching().run(p, local);
  CHECK(about(both, 0).contains("supply"));
  CHECK(about(both, 0).contains("load_reading"));
  // A reading takes 20 ms at least, or as long as so many samples do.
  const double reading = local.limits().reading_time;
  p.hookup.chains.clear();
  p.sensed = true;
  auto seconds = [&](int readings) {
    p.readings = readings;
    auto one = bench_of();
    (void)Watching().run(p, one);
    return one.elapsed();
  };
  CHECK(seconds(5000) - seconds(100) == Approx(2 * (0.05 - reading)));
  CHECK(seconds(2000) - seconds(100) == Approx(0).margin(1e-9));
}

TEST_CASE("a point is read until two readings agree in all four, ten times at most", "[conversion][run]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {0.1};
  p.agree = 0.02;
  auto bench = bench_of();
  const auto soon = Watching().run(p, bench);
  if (!soon.ended) FAIL(soon.ended.error().message);
  CHECK(about(soon, 0).at("agreed") == true);
  const auto& watched = about(soon, 0).at("watched");
  REQUIRE(watched.at("times").size() == 2);
  CHECK(watched.at("times")[1].get<double>() - watched.at("times")[0].get<double>() == Approx(2 * bench.limits().reading_time));
  for (const char* role : {"vin", "iin", "vout", "iout"}) CHECK(watched.at(role).size() == 2);
  CHECK(watched.at("vin")[1] == about(soon, 0).at("supply").at("voltage"));
  p.agree = 1e-12;
  auto slow = bench_of();
  const auto never = Watching().run(p, slow);
  CHECK(about(never, 0).at("agreed") == false);
  CHECK(about(never, 0).at("watched").at("times").size() == 10);
  // Of samples the last two readings are kept.
  p.hookup.chains = {chain("vout", "out", "Probe x10", 1)};
  auto sampled = bench_of();
  const auto records = Watching().run(p, sampled);
  REQUIRE(records.kept.front().records.size() == 2);
  CHECK(records.kept.front().records[0].pass == 8);
  CHECK(records.kept.front().records[1].pass == 9);
}

TEST_CASE("a point waits until the temperature moves slowly enough", "[conversion][run]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {1};
  p.thermometer = "body";
  p.rests_within = 0.5;
  auto bench = bench_of();
  // 40 K and a time constant of 60 s, without noise: over 30 s it moves by 40 (1 - exp(-1/2)) exp(-t/60) K, twice that a
  // minute; under half a kelvin once that much is left.
  double now = 0;
  int reads = 0;
  bench.on_temperature = [&](bench::TemperatureReading& r) {
    now = 10.14 * reads++;
    r.value = 65 - 40 * std::exp(-now / 60);
    r.u = 0.25;
  };
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  const auto& w = about(ran, 0).at("warming");
  CHECK(w.at("place") == "body");
  CHECK(w.at("rests") == true);
  CHECK(w.at("u") == 0.25);
  const auto times = w.at("times").get<std::vector<double>>(), read = w.at("read").get<std::vector<double>>();
  REQUIRE(times.size() == read.size());
  REQUIRE(read.size() > 20);
  CHECK(times[1] - times[0] == Approx(10.14));
  const auto by = [&](std::size_t k) { return 60 * (read[k] - read[k - 3]) / (times[k] - times[k - 3]); };
  CHECK(by(read.size() - 1) < 0.5);
  CHECK(by(read.size() - 2) >= 0.5);
  CHECK(w.at("by").get<double>() == Approx(by(read.size() - 1)));
  CHECK(std::count(bench.calls.begin(), bench.calls.end(), "read_temperature") == std::ptrdiff_t(read.size()));
  // All else is read beside it: the point's own reading comes last.
  CHECK(about(ran, 0).at("watched").at("vout").size() == read.size());
  CHECK(about(ran, 0).at("watched").at("vout").back() == about(ran, 0).at("load_reading").at("voltage"));
  // One that falls is waited for as well.
  reads = 0;
  bench.on_temperature = [&](bench::TemperatureReading& r) { r.value = 25 + 40 * std::exp(-10.14 * reads++ / 60); };
  const auto cools = Watching().run(p, bench);
  CHECK(about(cools, 0).at("warming").at("read").size() == read.size());
  CHECK(about(cools, 0).at("warming").at("by").get<double>() < 0);
}

TEST_CASE("a temperature that never rests is waited for an hour, and doubted", "[conversion][run][doubts]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {0.1};
  p.thermometer = "body";
  auto bench = bench_of();
  int reads = 0;
  bench.on_temperature = [&](bench::TemperatureReading& r) { r.value = 25 + 0.2 * reads++; };
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  const auto& w = about(ran, 0).at("warming");
  CHECK(w.at("rests") == false);
  CHECK(w.at("times").back().get<double>() > 3600);
  CHECK(w.at("times").back().get<double>() < 3611);
  const auto analysis = conversion::kind().analyse(ran.kept, {}, {});
  REQUIRE(analysis);
  const auto& doubts = analysis->reading.doubts;
  const auto it = std::find_if(doubts.begin(), doubts.end(), [](const auto& d) { return d.key == "thermal.drift"; });
  REQUIRE(it != doubts.end());
  CHECK_THAT(test::spaced(it->text), Contains("body still moved by 1.2 K a minute at 5.00 V and 99.8 mA, after 1 h 00 min of waiting."));
  CHECK(it->mend == study::Mend::warm_up);
  // Stopped while it waits: nothing of that point is kept, and the bench rests.
  Watching watching;
  reads = 0;
  bench.on_temperature = [&](bench::TemperatureReading&) {
    if (++reads == 3) watching.stop.request_stop();
  };
  bench.calls.clear();
  const auto stopped = watching.run(p, bench);
  REQUIRE_FALSE(stopped.ended);
  CHECK(stopped.ended.error().fault == Fault::stopped);
  CHECK(test::spaced(stopped.ended.error().message) == "Stopped after 0 of 1 points; what was read is kept.");
  CHECK(stopped.kept.empty());
  CHECK(bench.calls.back() == "off");
  p.thermometer = "sea";
  const auto nowhere = Watching().run(p, bench);
  REQUIRE_FALSE(nowhere.ended);
  CHECK_THAT(nowhere.ended.error().message, Contains("no place \"sea\""));
}

TEST_CASE("a watch looks on while a temperature is waited for", "[conversion][run][watch]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {0.1, 0.2};
  p.thermometer = "body";
  p.hookup.chains = {chain("vout", "out", "Probe x10", 1)};
  int reads = 0;
  const auto run = [&](const char* watch) {
    auto bench = bench_of();
    reads = 0;
    bench.on_temperature = [&](bench::TemperatureReading& r) { r.value = 25 + (reads < 6 ? 2.0 * reads : 12); ++reads; };
    Watching watching;
    watching.settings = {{"watch.rail", watch}};
    return watching.run(p, bench);
  };
  const auto ended = run("vout under 4.95 V ends point");
  REQUIRE(ended.ended);
  REQUIRE(ended.kept.size() == 2);
  // At once, with the samples of that moment.
  CHECK(about(ended, 0).at("warming").at("read").size() == 1);
  CHECK(about(ended, 0).at("warming").at("rests") == false);
  const auto analysis = conversion::kind().analyse(ended.kept, {}, {});
  REQUIRE(analysis);
  CHECK(std::none_of(analysis->reading.doubts.begin(), analysis->reading.doubts.end(), [](const auto& d) { return d.key == "thermal.drift"; }));
  CHECK(ended.kept[0].records.size() == 1);
  CHECK_THAT(about(ended, 0).at("tripped").get<std::string>(), Contains("The watch rail tripped"));
  const auto noted = run("vout under 4.95 V");
  CHECK(about(noted, 0).at("warming").at("rests") == true);
  CHECK(noted.kept[0].records.size() == 1);
  CHECK(noted.kept[0].records[0].pass == 0);
  CHECK(about(noted, 0).contains("tripped"));
  const auto whole = run("vout under 4.95 V ends sweep");
  REQUIRE_FALSE(whole.ended);
  CHECK(whole.kept.size() == 1);
}

TEST_CASE("a part that warms comes to rest where its power leaves, and its resistance with it", "[conversion][run]") {
  auto p = plan();
  p.lines = {8};
  p.loads = {0.5};
  p.thermometer = "body";
  p.rests_within = 0.1;
  auto bench = bench_of();
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  const auto w = about(ran, 0).at("warming");
  // T = 50 R I^2, R = 1 + 0.004 T at half an ampere (and what 10 kohm take): T = 12.5 / (1 - 0.05).
  const double i = 0.5 + 7.5e-4, rise = 50 * i * i / (1 - 50 * i * i * 0.004);
  CHECK(w.at("read").back().get<double>() == Approx(25 + rise).margin(1.2));
  const auto analysis = conversion::kind().analyse(ran.kept, {}, {"loss@500mA"});
  REQUIRE(analysis);
  const auto* loss = analysis->reading.find("loss@500mA");
  REQUIRE(loss);
  CHECK(std::abs(loss->value - i * i * (1 + 0.004 * rise) - 0.006) < 3 * *loss->u + 0.002);
  const auto reduced = conversion::kind().reduce(ran.kept, {});
  const auto& evidence = dynamic_cast<const conversion::ReducedConversion&>(**reduced).evidence().front();
  REQUIRE(evidence.warming);
  CHECK(evidence.warming->place == "body");
  CHECK(evidence.warming->rests);
  CHECK(evidence.warming->read.size() == w.at("read").size());
}

TEST_CASE("a source-measure channel feeds, steps both ways and takes current back", "[conversion][run]") {
  auto p = plan();
  p.feeder = Feeder::source_measure;
  p.lines = {5, 10};
  p.loads = {0.1};
  auto bench = bench_of();
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.calls == Calls{"off", "source", "load", "wait", "source", "load", "wait", "load", "wait", "off"});
  REQUIRE(bench.sourced.size() == 2);
  CHECK(bench.sourced[0].channel == 0);
  CHECK(bench.sourced[0].pin == "in");
  CHECK(bench.sourced[0].value == 5);
  CHECK(bench.sourced[0].compliance == 2);
  CHECK(bench.sourced[0].four_wire);
  CHECK(bench.sourced[1].value == 10);
  CHECK(about(ran, 1).at("supply").at("voltage").get<double>() == Approx(10).margin(0.01));
  CHECK(about(ran, 1).at("supply").at("current").get<double>() == Approx(0.101).margin(0.01));
  // Ten microfarads that next to nothing loads, and 20 mA: the channel takes them from 9 to 5 V in 2 ms; the DC source, which
  // takes hardly any current, lets them fall by the load's own milliampere, a volt in ten milliseconds.
  p.method = Method::line_steps;
  p.lines = {5, 9};
  p.loads = {0};
  p.source_limit = 20e-3;
  p.hookup.chains = {chain("vin", "in", "Probe x10", 1), chain("vout", "out", "Probe x10", 1)};
  p.rate = 100e3;
  p.period = 20e-3;
  p.edge = 1e-3;
  p.length = 40e-3;
  const auto lowest = [&](Feeder feeder) {
    p.feeder = feeder;
    auto one = bench_of();
    const auto taken = Watching().run(p, one);
    if (!taken.ended) FAIL(taken.ended.error().message);
    if (feeder == Feeder::source_measure) {
      CHECK(one.sourced.at(0).steps_to == 9.0);
      CHECK(one.sourced[0].period == 20e-3);
      CHECK(one.sourced[0].edge == 1e-3);
    } else {
      CHECK(one.supplied.at(0).steps_to == 9.0);
    }
    const auto vin = taken.kept.front().records.front().channels.front().values();
    // Of the second half of the record: once it has been high.
    const double low = *std::min_element(vin.begin() + std::ptrdiff_t(vin.size() / 2), vin.end()), high = *std::max_element(vin.begin(), vin.end());
    return std::pair{low / high, high};
  };
  const auto sinks = lowest(Feeder::source_measure), gives = lowest(Feeder::supply);
  CHECK(sinks.first == Approx(5 / 9.0).margin(0.02));
  CHECK(gives.first > 7 / 9.0);
  bench::SourceMeasureSetup wrong{.pin = "in", .force = bench::Force::current, .value = 1e-3, .compliance = 5, .current_range = {}, .voltage_range = {}, .steps_to = 2e-3, .period = 1, .edge = 0.1};
  CHECK_FALSE(bench.source(wrong));
  wrong.force = bench::Force::voltage;
  wrong.compliance = 0.1;
  wrong.steps_to = 300;
  CHECK_FALSE(bench.source(wrong));
  wrong.steps_to = 2;
  CHECK(bench.source(wrong));
  wrong.period = 0.3;
  CHECK_FALSE(bench.source(wrong));
}

TEST_CASE("records are captured once a value that is told, after the first warm-up", "[conversion][run]") {
  auto p = plan();
  p.method = Method::load_steps;
  p.lines = {5};
  p.loads = {0.1, 0.3};
  p.told = "clock";
  p.told_unit = "Hz";
  p.told_values = {1e3, 2e3};
  p.warm_up = 0.1;
  p.hookup.chains = {chain("vout", "out", "Probe x10", 1), chain("iout", "i out", "Clamp 40 A", 0.5)};
  p.rate = 100e3;
  p.period = 5e-3;
  p.edge = 50e-6;
  p.length = 10e-3;
  auto bench = bench_of();
  const auto ran = Watching().run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  // A record begins with the source anew: what steps begins with it.
  CHECK(bench.calls == Calls{"off", "connect", "tell", "supply", "load", "wait", "capture", "tell", "supply", "load", "wait", "capture", "load", "wait", "off"});
  CHECK(bench.waited[0] == Approx(0.103));
  CHECK(bench.waited[1] == Approx(3e-3));
  CHECK(bench.captured[0].samples == 1000);
  CHECK(*bench.loaded[0].steps_to == 0.3);
  CHECK(bench.loaded[0].period == 5e-3);
  CHECK(bench.loaded[0].edge == 50e-6);
  CHECK_FALSE(bench.loaded.back().steps_to);
  CHECK(bench.loaded.back().value == 0);
  REQUIRE(ran.kept.size() == 2);
  CHECK(about(ran, 0).at("stepped") == true);
  CHECK(ran.kept[1].records.front().pass == 0);
  CHECK(ran.kept[1].records.front().channels[0].role == "vout");
}

TEST_CASE("a watch over what was read says what it was, and of several the one that does most", "[conversion][run][watch]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {0.1, 0.2, 0.3};
  Watching watching;
  const auto run = [&](const study::SettingsText& settings, study::OnTrip on_trip = study::OnTrip::notes) {
    watching.settings = settings;
    p.on_trip = on_trip;
    auto bench = bench_of();
    return watching.run(p, bench);
  };
  const auto over = run({{"watch.a", "iout over 0.25 A"}});
  CHECK(over.tripped == std::vector<std::string>{"a", "a"});
  CHECK_FALSE(about(over, 1).contains("tripped"));
  CHECK_THAT(test::spaced(about(over, 2).at("tripped").get<std::string>()), Contains("The watch a tripped: iout was 299.9 mA"));
  const auto under = run({{"watch.low", "iout under 0.15 A"}});
  CHECK(about(under, 0).contains("tripped"));
  CHECK_FALSE(about(under, 1).contains("tripped"));
  CHECK_FALSE(about(run({{"watch.in", "vin over 5.2 V"}}), 0).contains("tripped"));
  // Ended at the second point; that one is kept, the load goes down before the source.
  const auto ended = run({{"watch.a", "iout over 0.15 A"}, {"watch.b", "vout under 9 V"}}, study::OnTrip::notes);
  CHECK(ended.ended);
  const auto stopped = run({{"watch.b", "vout under 9 V"}, {"watch.a", "iout over 0.15 A ends sweep"}});
  REQUIRE_FALSE(stopped.ended);
  CHECK(stopped.kept.size() == 2);
  CHECK_THAT(test::spaced(stopped.ended.error().message), Contains("The watch a tripped: iout was 199.8 mA at 5 V and 200 mA"));
  CHECK_THAT(test::spaced(stopped.ended.error().message), Contains("at 5 V and 200 mA: the sweep was ended, the load first; what was read is kept."));
  // Of two that do as much, the first counts.
  const auto two = run({{"watch.a", "vout under 9 V"}, {"watch.b", "iout over 50 mA"}});
  CHECK_THAT(about(two, 0).at("tripped").get<std::string>(), Contains("The watch a tripped"));
  // One that ends a point reads it no further.
  p.agree = 1e-12;
  const auto point = run({{"watch.a", "iout over 0.15 A ends point"}});
  REQUIRE(point.ended);
  CHECK(about(point, 0).at("watched").at("times").size() == 10);
  CHECK_FALSE(about(point, 1).contains("watched"));
  CHECK(about(point, 1).at("agreed") == false);
  CHECK(point.kept.size() == 3);
}

TEST_CASE("a watch looks at the samples of a point where inputs read it", "[conversion][run][watch]") {
  auto p = plan();
  p.lines = {5};
  p.loads = {0.1, 0.3};
  p.hookup.chains = {chain("vout", "out", "Probe x10", 1)};
  Watching watching;
  watching.settings = {{"watch.rail", "vout under 4.8 V"}};
  auto bench = bench_of();
  const auto ran = watching.run(p, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK_FALSE(about(ran, 0).contains("tripped"));
  CHECK_THAT(about(ran, 1).at("tripped").get<std::string>(), Contains("The watch rail tripped: vout"));
  // A quantity that no input reads is still read by its instrument.
  watching.settings = {{"watch.load", "iout over 0.2 A"}};
  auto other = bench_of();
  const auto by_instrument = watching.run(p, other);
  CHECK_FALSE(about(by_instrument, 0).contains("tripped"));
  CHECK_THAT(test::spaced(about(by_instrument, 1).at("tripped").get<std::string>()), Contains("iout was 299.9 mA"));
}

TEST_CASE("an error of the bench ends the run at rest, and says what it was", "[conversion][run][bad]") {
  for (const char* call : {"connect", "supply", "load", "wait", "capture", "tell", "read_temperature"}) {
    CAPTURE(call);
    auto p = plan();
    p.told = "clock";
    p.told_unit = "Hz";
    p.told_values = {1e3};
    p.thermometer = "body";
    p.hookup.chains = {chain("vout", "out", "Probe x10", 1)};
    auto bench = bench_of();
    bench.before = [&](const std::string& asked) -> Result<void> {
      if (asked == call) return fail(Fault::bench, "{} failed.", asked);
      return {};
    };
    const auto ran = Watching().run(p, bench);
    REQUIRE_FALSE(ran.ended);
    CHECK(ran.ended.error().message == std::string(call) + " failed.");
    CHECK(ran.kept.empty());
    CHECK(bench.calls.back() == "off");
  }
  Watching wrong;
  wrong.settings = {{"speed", "1"}};
  auto bench = bench_of();
  CHECK_FALSE(wrong.run(plan(), bench).ended);
  CHECK(bench.supplied.empty());
}

}  // namespace conversion_run
