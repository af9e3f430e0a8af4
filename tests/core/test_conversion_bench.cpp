#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/random.h"
#include "sim/simulated_bench.h"
#include "study/conversion/assembly.h"
#include "study/conversion/figures.h"
#include "study/conversion/kind.h"
#include "study/conversion/preflight.h"
#include "study/conversion/reduced.h"
#include "study/conversion/runner.h"
#include "study/conversion/words.h"
#include "waveform_support.h"

using namespace heron;

/// Plans of conversion on the simulated bench.
namespace conversion_bench {
namespace {

namespace conversion = study::conversion;
using conversion::Method;
using conversion::Plan;
using waveform_bench::circuit;
using waveform_bench::has;

/// A converter that holds 5 V behind its switches, 60 mohm to the output, 10 nC a period.
constexpr double kHolds = 5, kSwitch = 0.05, kCoil = 0.01, kCharge = 10e-9, kClock = 400e3;
constexpr const char* kConverter =
    "[pins]\n\"battery\" = \"pin\"\n\"rail\" = \"rail\"\n[branches]\n\"battery current\" = \"RIN.a\"\n\"rail current\" = \"ROUT.a\"\n[told]\n\"switching frequency\" = \"U1.frequency\"\n"
    "[ratings]\n\"battery\" = { voltage = \"18 V\", current = \"3 A\" }\n\"rail\" = { voltage = \"6 V\", current = \"3 A\" }\n"
    "[part.RIN]\nkind = \"resistor\"\nbetween = [\"pin\", \"in\"]\nvalue = \"1 uohm\"\n[part.ROUT]\nkind = \"resistor\"\nbetween = [\"out\", \"rail\"]\nvalue = \"1 uohm\"\n"
    "[part.U1]\nkind = \"averaged stage\"\nin = \"in\"\nout = \"sw\"\nground = \"ground\"\nvalue = \"50 mohm\"\nduty = 0.95\nholds = \"5 V\"\nfrequency = \"400 kHz\"\nswitching_charge = \"10 nC\"\n"
    "[part.CIN]\nkind = \"capacitor\"\nbetween = [\"in\", \"ground\"]\nvalue = \"22 uF\"\nseries_resistance = \"20 mohm\"\n"
    "[part.L1]\nkind = \"inductor\"\nbetween = [\"sw\", \"out\"]\nvalue = \"10 uH\"\nresistance = \"10 mohm\"\n"
    "[part.COUT]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"47 uF\"\nseries_resistance = \"30 mohm\"\n";

Plan points() {
  Plan out{.source_pin = "battery", .load_pin = "rail", .lines = {9, 12}, .loads = {0.1, 0.5, 1, 2}, .source_limit = 3};
  out.settle_time = 5e-3;
  return out;
}

bench::Chain chain(const char* name, const char* pin, const char* sensor, std::optional<double> range = {}) {
  bench::Chain out{.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
  return out;
}

struct Taken {
  std::vector<study::Point> points;
  std::optional<Error> error;
  double seconds = 0;
};
Taken taken(const Plan& plan, const study::SettingsText& settings = {}, std::uint64_t seed = 7, std::stop_token stop = {}, const std::function<void(const study::Progress&)>& progress = {}) {
  sim::SimulatedBench bench(circuit(kConverter), seed);
  study::Surroundings around;
  around.settings = settings;
  Taken out;
  const auto ok = conversion::run(plan, bench, {.around = around,
                                                .keep = [&](const study::Point& p) -> Result<void> {
                                                  out.points.push_back(p);
                                                  return {};
                                                },
                                                .progress = progress,
                                                .stop = stop});
  if (!ok) out.error = ok.error();
  out.seconds = bench.elapsed();
  // Everything rests afterwards.
  CHECK(!bench.read_supply(1e-3, {}));
  CHECK(!bench.read_load(1e-3, {}));
  return out;
}

study::Reading read(const Taken& t, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  if (t.error) FAIL(t.error->message);
  const auto analysis = conversion::kind().analyse(t.points, settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

void check_within(const study::Reading& r, const std::string& key, double truth, double widest) {
  const auto* f = r.find(key);
  INFO(key);
  REQUIRE(f);
  REQUIRE(f->u);
  INFO(f->value << " +- " << *f->u << " for " << truth);
  CHECK(std::abs(f->value - truth) < 3 * *f->u);
  CHECK(*f->u < widest);
}

/// What is lost in all its parts.
double loss_of(double i, double line, double clock = kClock) { return i * i * (kSwitch + kCoil) + kCharge * clock * line; }

}  // namespace

TEST_CASE("a converter's loss on the bench is the sum of its parts' dissipation", "[conversion]") {
  auto plan = points();
  const auto r = read(taken(plan), {}, {"loss@1A,12V", "loss@2A,9V", "efficiency@2A,12V", "efficiency@100mA,12V"});
  check_within(r, "loss@1A,12V", loss_of(1, 12), 0.02);
  check_within(r, "loss@2A,9V", loss_of(2, 9), 0.03);
  const double out = (kHolds - 2 * 0.06) * 2;
  check_within(r, "efficiency@2A,12V", out / (out + loss_of(2, 12)), 3e-3);
  // The output falls by the resistance behind it.
  check_within(r, "regulation.load", -0.06 * 1.9, 1e-3);
  CHECK(std::abs(r.find("regulation.line")->value) < 3 * *r.find("regulation.line")->u + 1e-4);
}

TEST_CASE("read by inputs at the device the loss agrees with the parts within what is said", "[conversion]") {
  auto plan = points();
  plan.lines = {12};
  plan.loads = {1, 2};
  plan.readings = 1024;
  plan.hookup.chains = {chain("vin", "battery", "Probe x10"), chain("vout", "rail", "Probe x10"), chain("iin", "battery current", "Clamp 40 A"), chain("iout", "rail current", "Clamp 40 A")};
  const auto t = taken(plan);
  const auto r = read(t, {}, {"loss@2A", "efficiency@2A"});
  check_within(r, "loss@2A", loss_of(2, 12), 3);
  CHECK(t.points.front().records.size() == 1);
  CHECK(t.points.front().records.front().channels.size() == 4);
}

TEST_CASE("a faster clock costs what its charge costs", "[conversion]") {
  auto plan = points();
  plan.lines = {12};
  plan.loads = {0, 0.5, 1, 1.5, 2};
  plan.told = "switching frequency";
  plan.told_unit = "Hz";
  plan.told_values = {400e3, 800e3};
  const auto r = read(taken(plan), {}, {"loss@1A,frequency=400kHz", "loss@1A,frequency=800kHz"});
  const auto slow = r.find("loss@1A,frequency=400kHz"), fast = r.find("loss@1A,frequency=800kHz");
  REQUIRE(slow);
  REQUIRE(fast);
  // What both share falls out of the difference.
  CHECK(fast->value - slow->value == Approx(kCharge * 400e3 * 12).margin(0.01));
  const auto one = read(taken(plan), {{"frequency", "400 kHz"}});
  check_within(one, "power.idle", loss_of(0, 12), 0.03);
  check_within(one, "loss.square", kSwitch + kCoil, 0.02);
  sim::SimulatedBench bench(circuit(kConverter), 1);
  CHECK(!bench.tell("colour", 1));
  CHECK(!bench.tell("switching frequency", -1));
  CHECK(bench.tell("temperature", 60));
}

TEST_CASE("what is set by hand is asked for once a value, and nothing goes on before it is", "[conversion]") {
  auto plan = points();
  plan.lines = {12};
  plan.loads = {0.5, 1};
  plan.told = "switching frequency";
  plan.told_unit = "Hz";
  plan.told_values = {400e3, 800e3};
  plan.told_by = conversion::TellBy::hand;
  sim::SimulatedBench bench(circuit(kConverter), 7);
  const study::Surroundings around;
  std::vector<std::string> events;
  const auto run = [&](const std::function<Result<void>(const std::string&)>& ask) {
    events.clear();
    return conversion::run(plan, bench, {.around = around,
                                         .keep = [&](const study::Point& p) -> Result<void> {
                                           events.push_back(fmt::format("point {}", p.index));
                                           return {};
                                         },
                                         .ask = ask});
  };
  CHECK(run([&](const std::string& what) -> Result<void> {
    events.push_back(test::spaced(what));
    return {};
  }));
  CHECK(events == std::vector<std::string>{"Set switching frequency to 400 kHz", "point 0", "point 1", "Set switching frequency to 800 kHz", "point 2", "point 3"});
  // Stopped instead of answered: what was read is kept, the bench rests.
  int asked = 0;
  const auto stopped = run([&](const std::string&) -> Result<void> { return ++asked == 1 ? Result<void>{} : fail(Fault::stopped, "Stopped."); });
  REQUIRE_FALSE(stopped);
  CHECK(stopped.error().fault == Fault::stopped);
  CHECK(events == std::vector<std::string>{"point 0", "point 1"});
  CHECK_FALSE(bench.read_supply(1e-3, {}));
  const auto nobody = run({});
  REQUIRE_FALSE(nobody);
  CHECK(nobody.error().fault == Fault::usage);
  CHECK_THAT(nobody.error().message, Catch::Matchers::Contains("nobody here to ask"));
  CHECK(events.empty());
  // As words.
  study::Surroundings telling;
  telling.told = {{"switching frequency", "Hz"}};
  const auto by_bench = conversion::apply(plan, "told_by", "by the bench", telling);
  REQUIRE(by_bench);
  CHECK(by_bench->told_by == conversion::TellBy::bench);
  const auto again = conversion::plan_from_json(conversion::to_json(plan));
  REQUIRE(again);
  CHECK(again->told_by == conversion::TellBy::hand);
}

TEST_CASE("leads take their part where source and load sense at their own terminals", "[conversion][doubts]") {
  auto plan = points();
  plan.lines = {9};
  plan.loads = {2};
  const auto sensed = read(taken(plan), {}, {"efficiency@2A"});
  CHECK(!has(sensed.doubts, "leads.drop"));
  plan.sensed = false;
  const auto t = taken(plan);
  const auto local = read(t, {}, {"efficiency@2A"});
  REQUIRE(has(local.doubts, "leads.drop"));
  // 18 mohm in each pair of leads.
  const double iin = (4.88 * 2 + loss_of(2, 9)) / 9, lost = 0.018 * (4 + iin * iin);
  CHECK(sensed.find("efficiency@2A")->value - local.find("efficiency@2A")->value == Approx(lost / (9 * iin)).epsilon(0.1));
  // Inputs at the device see past them, and tell the difference.
  plan.hookup.chains = {chain("vin", "battery", "Probe x10"), chain("vout", "rail", "Probe x10")};
  const auto both = taken(plan);
  const auto r = read(both, {}, {"efficiency@2A"});
  CHECK(!has(r.doubts, "leads.drop"));
  const auto reduced = conversion::kind().reduce(both.points, {});
  const auto& evidence = dynamic_cast<const conversion::ReducedConversion&>(**reduced).evidence().front();
  REQUIRE(evidence.lost_in_leads);
  CHECK(*evidence.lost_in_leads == Approx(lost).epsilon(0.4));
}

TEST_CASE("a source that folds back is told", "[conversion][doubts]") {
  auto plan = points();
  plan.lines = {9};
  plan.loads = {0.5, 1, 2};
  plan.source_limit = 0.8;
  const auto r = read(taken(plan));
  CHECK(has(r.doubts, "source.limit"));
  plan.source_limit = 3;
  CHECK(!has(read(taken(plan)).doubts, "source.limit"));
}

TEST_CASE("a point read too early says so", "[conversion][doubts]") {
  const nlohmann::json supply = {{"voltage", 12.0}, {"current", 0.5}}, load = {{"voltage", 5.0}, {"current", 1.0}};
  // 256 samples of noise s: halves lie s / 8 apart by chance, and D / 2 by a drift of D.
  const auto drifting = [&](double drift) {
    std::mt19937_64 random(3);
    study::Channel vout{.role = "vout", .unit = "V"};
    for (int k = 0; k < 256; ++k) vout.numbers.push_back(5 + drift * k / 256.0 + 1e-3 * normal_deviate(random));
    study::Record record{.sample_rate = 100e3};
    record.channels.push_back(vout);
    study::Point point{.setting = nlohmann::json{{"line", 12.0}, {"load", 1.0}, {"supply", supply}, {"load_reading", load}}, .records = {}};
    point.records.push_back(record);
    const auto analysis = conversion::kind().analyse({point}, {}, {});
    if (!analysis) FAIL(analysis.error().message);
    return analysis->reading;
  };
  CHECK(!has(drifting(0).doubts, "settling.short"));
  CHECK(!has(drifting(0.5e-3).doubts, "settling.short"));
  CHECK(has(drifting(1.6e-3).doubts, "settling.short"));
}

TEST_CASE("what still warms from one reading to the next is told", "[conversion][doubts]") {
  const nlohmann::json supply = {{"voltage", 12.0}, {"current", 0.5}}, load = {{"voltage", 5.0}, {"current", 1.0}};
  const auto moving = [&](double by, bool agreed) {
    std::mt19937_64 random(5);
    study::Point point{.setting = nlohmann::json{{"line", 12.0}, {"load", 1.0}, {"supply", supply}, {"load_reading", load}, {"agreed", agreed}}, .records = {}};
    for (int pass = 0; pass < 2; ++pass) {
      study::Channel vout{.role = "vout", .unit = "V"};
      for (int k = 0; k < 256; ++k) vout.numbers.push_back(5 + by * pass + 1e-3 * normal_deviate(random));
      study::Record record{.pass = pass, .sample_rate = 100e3};
      record.channels.push_back(vout);
      point.records.push_back(record);
    }
    const auto analysis = conversion::kind().analyse({point}, {}, {});
    if (!analysis) FAIL(analysis.error().message);
    return has(analysis->reading.doubts, "thermal.drift");
  };
  // u of a mean is 1 mV / 16, of a difference 1.4 times that.
  CHECK(moving(0.5e-3, false));
  CHECK(!moving(0.1e-3, false));
  CHECK(!moving(0.5e-3, true));
}

TEST_CASE("a load at its own limit is told from three points on", "[conversion][doubts]") {
  const auto limited = [](int points) {
    std::vector<study::Point> all;
    for (int k = 0; k < 4; ++k)
      all.push_back({.index = k,
                     .setting = nlohmann::json{{"line", 12.0}, {"load", 1.0 + k}, {"supply", {{"voltage", 12.0}, {"current", 0.5 + k}}}, {"load_reading", {{"voltage", 5.0}, {"current", 1.0 + k}, {"limited", k < points}}}},
                     .records = {}});
    const auto analysis = conversion::kind().analyse(all, {}, {});
    if (!analysis) FAIL(analysis.error().message);
    return has(analysis->reading.doubts, "compliance.reached");
  };
  CHECK(!limited(2));
  CHECK(limited(3));
}

TEST_CASE("inputs of conversion that clip or use little of their range are told", "[conversion][doubts]") {
  const auto read_at = [](double peak_counts, bool flat) {
    std::mt19937_64 random(2);
    study::Channel vout{.role = "vout", .unit = "V"};
    vout.scale = 10.0 / 8192;
    vout.range = 10;
    vout.lowest_count = -8192;
    vout.highest_count = 8191;
    for (int k = 0; k < 256; ++k) vout.counts.push_back(std::int16_t(flat && k % 16 < 4 ? 8191 : peak_counts + 2 * normal_deviate(random)));
    study::Record record{.sample_rate = 100e3};
    record.channels.push_back(vout);
    study::Point point{.setting = nlohmann::json{{"line", 12.0}, {"load", 1.0}, {"supply", {{"voltage", 12.0}, {"current", 0.5}}}, {"load_reading", {{"voltage", 5.0}, {"current", 1.0}}}}, .records = {}};
    point.records.push_back(record);
    const auto analysis = conversion::kind().analyse({point}, {}, {});
    if (!analysis) FAIL(analysis.error().message);
    return analysis->reading.doubts;
  };
  CHECK(has(read_at(780, false), "range.underused"));
  CHECK(!has(read_at(860, false), "range.underused"));
  CHECK(has(read_at(8000, true), "input.clipped"));
  CHECK(!has(read_at(8000, false), "input.clipped"));
}

TEST_CASE("a point without one of its four readings is refused by name", "[conversion]") {
  const study::Point point{.index = 2, .setting = nlohmann::json{{"line", 12.0}, {"supply", {{"voltage", 12.0}, {"current", 0.5}}}}, .records = {}};
  const auto refused = conversion::kind().analyse({point}, {}, {});
  REQUIRE(!refused);
  CHECK(refused.error().message == "Point 3 has no vout.");
}

TEST_CASE("two readings that agree end a point", "[conversion]") {
  auto plan = points();
  plan.lines = {12};
  plan.loads = {0.5, 2};
  plan.agree = 0.01;
  plan.hookup.chains = {chain("vout", "rail", "Probe x10")};
  const auto t = taken(plan);
  REQUIRE(!t.error);
  for (const auto& p : t.points) {
    CHECK(p.records.size() == 2);
    CHECK(p.setting.json().at("agreed") == true);
  }
  // What never agrees is read so many times, and told where it moves.
  plan.agree = 1e-9;
  const auto never = taken(plan);
  CHECK(never.points.front().setting.json().at("agreed") == false);
}

TEST_CASE("the line steps between two voltages and the output's plateaus are read", "[conversion]") {
  auto plan = points();
  plan.method = Method::line_steps;
  plan.lines = {9, 14};
  plan.loads = {1};
  plan.hookup.chains = {chain("vin", "battery", "Probe x10", 5), chain("vout", "rail", "Probe x10", 1)};
  plan.rate = 500e3;
  plan.period = 10e-3;
  plan.edge = 1e-3;
  plan.length = 40e-3;
  const auto t = taken(plan);
  if (t.error) FAIL(t.error->message);
  const auto reduced = conversion::kind().reduce(t.points, {});
  REQUIRE(reduced);
  const auto& record = *dynamic_cast<const conversion::ReducedConversion&>(**reduced).records().front();
  REQUIRE(record.stepped == conversion::Port::vin);
  CHECK(record.low == Approx(9).margin(0.1));
  CHECK(record.high == Approx(14).margin(0.1));
  CHECK(record.plateaus.size() >= 7);
}

TEST_CASE("the load steps between two currents: dip and recovery of the output filter", "[conversion]") {
  auto plan = points();
  plan.method = Method::load_steps;
  plan.lines = {12};
  plan.loads = {0.2, 1.2};
  plan.hookup.chains = {chain("vout", "rail", "Probe x10", 1), chain("iout", "rail current", "Clamp 40 A", 5)};
  plan.hookup.chains.front().input.range = 1;
  plan.rate = 5e6;
  plan.period = 4e-3;
  plan.edge = 20e-6;
  plan.length = 12e-3;
  const auto t = taken(plan);
  const auto r = read(t);
  const auto* dip = r.find("transient.dip");
  REQUIRE(dip);
  // At least what the output capacitor's own resistance drops before the coil follows, at most what the coil's wave
  // resistance does.
  const double wave = std::sqrt(10e-6 / 47e-6);
  CHECK(dip->value > 0.02);
  CHECK(dip->value < 1.2 * wave);
  CHECK(r.find("transient.recovery"));
}

TEST_CASE("a watch that trips is noted or ends the sweep, the load down first", "[conversion][watch]") {
  auto plan = points();
  plan.lines = {12};
  const study::SettingsText watched = {{"watch.rail", "vout under 4.95 V"}};
  const auto noted = taken(plan, watched);
  REQUIRE(!noted.error);
  CHECK(noted.points.size() == 4);
  CHECK(!noted.points.front().setting.json().contains("tripped"));
  CHECK(noted.points.back().setting.json().at("tripped").get<std::string>().find("rail tripped: vout was 4.8") != std::string::npos);
  plan.on_trip = study::OnTrip::ends_sweep;
  const auto ended = taken(plan, watched);
  REQUIRE(ended.error);
  CHECK(ended.error->message.find("the sweep was ended") != std::string::npos);
  CHECK(ended.points.size() == 3);
  // What a watch says of itself goes before what the brief says of all; of several that trip the one that does most counts.
  plan.on_trip = study::OnTrip::notes;
  const auto by_itself = taken(plan, {{"watch.any", "vout under 9 V"}, {"watch.rail", "vout under 4.95 V ends sweep"}});
  REQUIRE(by_itself.error);
  CHECK(by_itself.error->message.find("The watch rail tripped") == 0);
  CHECK(by_itself.points.size() == 3);
}

TEST_CASE("a sweep that is stopped keeps what was read", "[conversion]") {
  std::stop_source stop;
  const auto t = taken(points(), {}, 7, stop.get_token(), [&](const study::Progress& p) {
    if (p.done == 3) stop.request_stop();
  });
  REQUIRE(t.error);
  CHECK(t.error->fault == Fault::stopped);
  CHECK(t.points.size() == 3);
}

TEST_CASE("preflight of conversion knows the ratings and the source", "[conversion][preflight]") {
  study::Surroundings around;
  around.terminals = {"battery", "rail"};
  around.limits.supply_voltage = 80;
  around.limits.supply_current = 30;
  around.limits.load_current = 30;
  around.limits.lead_resistance = 0.018;
  around.ratings = {{"battery", {}}, {"rail", {}}};
  around.ratings["battery"].voltage = 18;
  around.ratings["rail"].current = 3;
  around.settings = {{"nominal", "5 V"}};
  auto plan = points();
  const auto before = [&](const Plan& p) { return conversion::preflight(p, around, conversion::predict(p, around)); };
  CHECK(before(plan).empty());
  plan.lines = {20};
  CHECK(has(before(plan), "rating.near"));
  plan.lines = {12};
  plan.loads = {3.5};
  CHECK(has(before(plan), "rating.near"));
  plan.loads = {2};
  plan.source_limit = 0.5;
  CHECK(has(before(plan), "source.limit"));
  plan.source_limit = 3;
  plan.sensed = false;
  CHECK(has(before(plan), "leads.drop"));
  plan.sensed = true;
  // An input that a line would overdrive is told before.
  around.limits.ranges = around.limits.input.ranges = {0.1, 1, 10};
  plan.lines = {12};
  plan.hookup.chains = {chain("vin", "battery", "Direct lead", 10)};
  CHECK(has(before(plan), "input.clipped"));
  plan.lines = {7};
  CHECK(!has(before(plan), "input.clipped"));
  plan.hookup.chains.clear();
  plan.load_pin = "nowhere";
  CHECK(has(before(plan), "input.missing"));
}

TEST_CASE("a plan of conversion is kept and read back, word by word", "[conversion][words]") {
  study::Surroundings around;
  around.terminals = around.pins = {"battery", "rail"};
  around.told = {{"temperature", "degC"}, {"switching frequency", "Hz"}};
  auto plan = points();
  for (const auto& [key, text] : std::vector<std::pair<std::string, std::string>>{{"lines", "9 V to 15 V in 4"}, {"loads", "10 mA to 2 A in 8 log"}, {"source_limit", "2 A"}, {"told", "switching frequency"},
                                                                                  {"told_values", "400 kHz, 800 kHz"}, {"inner", "the line"}, {"settle", "50 ms"}, {"agree", "0.02 %"}, {"sensing", "at their own terminals"},
                                                                                  {"on_trip", "ends the sweep"}, {"readings", "1024"}}) {
    INFO(key);
    auto changed = conversion::apply(plan, key, text, around);
    if (!changed) FAIL(changed.error().message);
    plan = *changed;
  }
  CHECK(plan.all_steps().size() == 64);
  CHECK(plan.all_steps()[1].line == Approx(11));
  const auto back = conversion::plan_from_json(conversion::to_json(plan));
  REQUIRE(back);
  CHECK(conversion::to_json(*back) == conversion::to_json(plan));
  CHECK(!conversion::apply(plan, "told", "colour", around));
  around.told.push_back({"set point", "V"});
  const auto neither = conversion::apply(plan, "told", "set point", around);
  REQUIRE(!neither);
  CHECK(neither.error().message.find("neither a frequency nor a temperature") != std::string::npos);
  CHECK(!conversion::apply(plan, "method", "by steps of the load", around));
  auto unnamed = points();
  unnamed.hookup.chains = {chain("v_rail", "rail", "Probe x10")};
  const auto without = conversion::apply(unnamed, "method", "a record of what rests", around);
  REQUIRE(!without);
  CHECK(without.error().message.find("called vout") != std::string::npos);
  CHECK(conversion::apply(plan, "mode", "a constant power", around)->loads == std::vector<double>{0.5});
  CHECK(!conversion::brief(plan).empty());
  auto unknown = conversion::to_json(plan);
  unknown["mode"] = "a wish";
  CHECK(!conversion::plan_from_json(unknown));
}

}  // namespace conversion_bench
