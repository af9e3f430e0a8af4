#include <cmath>
#include <complex>
#include <numbers>

#include "noting_bench.h"
#include "study/power/kind.h"
#include "study/power/look_at_wiring.h"
#include "study/power/preflight.h"
#include "study/power/runner.h"
#include "study/preflight.h"
#include "waveform_support.h"

using namespace heron;

/// What a plan of power asks of the bench, in which order, and what it keeps beside the samples.
namespace power_run {
namespace {

using Catch::Matchers::Contains;
using study::power::Feed;
using study::power::Method;
using study::power::Plan;
using Calls = std::vector<std::string>;

constexpr const char* kLoads =
    "[pins]\n\"a\" = \"a\"\n\"b\" = \"b\"\n\"c\" = \"c\"\n[branches]\n\"ia\" = \"RA.a\"\n\"ib\" = \"RB.a\"\n\"ic\" = \"RC.a\"\n"
    "[part.K1]\nkind = \"contact\"\nbetween = [\"a\", \"s\"]\nrest = \"open\"\nbounce = \"0 s\"\n[part.RS]\nkind = \"resistor\"\nbetween = [\"s\", \"ground\"]\nvalue = \"10 ohm\"\n"
    "[part.RA]\nkind = \"resistor\"\nbetween = [\"a\", \"ground\"]\nvalue = \"10 ohm\"\n[part.RB]\nkind = \"resistor\"\nbetween = [\"b\", \"ground\"]\nvalue = \"10 ohm\"\n"
    "[part.RC]\nkind = \"resistor\"\nbetween = [\"c\", \"ground\"]\nvalue = \"10 ohm\"\n";

bench::Chain sensed(const char* name, const char* pin, const char* sensor, std::optional<double> range) {
  bench::Chain out{.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
  if (out.input.sensor.senses_current()) out.zero = 0;
  return out;
}

Plan fed() {
  Plan out{.feed = Feed::mains, .pin = "a", .voltage = 24, .frequency = 50, .line_resistance = 0.1, .line_inductance = 10e-6, .settle_time = 0.04};
  out.hookup = {.chains = {sensed("v", "a", "Probe x10", 5), sensed("i", "ia", "Clamp 40 A", 0.5)}, .computed = {}};
  out.rate = 10e3;
  out.cycles = 4;
  return out;
}

struct Ran {
  Result<void> ended;
  std::vector<study::Point> kept;
  std::vector<study::Progress> told;
};
struct Watching {
  std::stop_source stop = {};
  std::function<void(const study::Progress&)> progress = {};

  Ran run(const Plan& plan, test::NotingBench& bench) {
    Ran out;
    const study::Surroundings around;
    out.ended = study::power::run(plan, bench, {.around = around,
                                                .keep = [&](const study::Point& p) -> Result<void> {
                                                  out.kept.push_back(p);
                                                  return {};
                                                },
                                                .progress = [&](const study::Progress& p) {
                                                  out.told.push_back(p);
                                                  if (progress) progress(p);
                                                },
                                                .stop = stop.get_token()});
    return out;
  }
};

test::NotingBench bench_of(std::uint64_t seed = 4) { return test::NotingBench(waveform_bench::circuit(kLoads), seed); }

}  // namespace

TEST_CASE("cycles are read record after record, at their pace, from what is fed first", "[power][run]") {
  auto plan = fed();
  plan.readings = 3;
  plan.every = 0.5;
  plan.third = 0.02;
  plan.fifth = 0.01;
  plan.angle = 90;
  auto bench = bench_of();
  const auto ran = Watching().run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.calls == Calls{"connect", "mains", "wait", "capture", "wait", "capture", "wait", "capture", "off"});
  CHECK(bench.waited[0] == 0.04);
  // 0.08 s of each half second is the record's own.
  CHECK(bench.waited[1] == Approx(0.42).margin(0.01));
  REQUIRE(bench.fed.size() == 1);
  const auto& mains = bench.fed.front();
  CHECK(mains.pins == std::vector<std::string>{"a"});
  CHECK(mains.voltage == 24);
  CHECK(mains.frequency == 50);
  CHECK(mains.resistance == 0.1);
  CHECK(mains.inductance == 10e-6);
  CHECK(mains.third == 0.02);
  CHECK(mains.fifth == 0.01);
  CHECK_FALSE(mains.backwards);
  CHECK_FALSE(mains.closes_after);
  CHECK(mains.angle == Approx(std::numbers::pi / 2));
  CHECK(bench.captured.front().samples == 802);
  REQUIRE(ran.kept.size() == 3);
  for (int k = 0; k < 3; ++k) {
    CHECK(ran.kept[std::size_t(k)].index == k);
    CHECK(ran.kept[std::size_t(k)].setting.json().at("method") == "cycles");
    CHECK_FALSE(ran.kept[std::size_t(k)].setting.json().contains("trigger_at"));
    CHECK(ran.kept[std::size_t(k)].setting.json().at("chains").at("i").contains("bandwidth"));
  }
  // Told at the beginning and at the end of each, with what is left.
  REQUIRE(ran.told.size() == 6);
  CHECK(ran.told[0].share == 0);
  CHECK(ran.told[1].share == 1);
  CHECK(ran.told[2].done == 1);
  CHECK(ran.told[2].total == 3);
  CHECK(ran.told[0].bench_seconds_left == Approx(plan.seconds()));
  CHECK(ran.told[3].bench_seconds_left == Approx(plan.seconds() / 3));
  // At once where nothing is said of a pace.
  plan.every = 0;
  auto quick = bench_of();
  REQUIRE(Watching().run(plan, quick).ended);
  CHECK(quick.calls == Calls{"connect", "mains", "wait", "capture", "capture", "capture", "off"});
}

TEST_CASE("each feed is asked for as it is said", "[power][run]") {
  auto plan = fed();
  plan.feed = Feed::phases;
  plan.pin_b = "b";
  plan.pin_c = "c";
  plan.sequence = study::power::Sequence::acb;
  auto phases = bench_of();
  REQUIRE(Watching().run(plan, phases).ended);
  CHECK(phases.fed.front().pins == std::vector<std::string>{"a", "b", "c"});
  CHECK(phases.fed.front().backwards);
  plan.feed = Feed::supply;
  plan.supply_voltage = 6;
  plan.supply_limit = 3;
  auto supply = bench_of();
  REQUIRE(Watching().run(plan, supply).ended);
  CHECK(supply.fed.empty());
  CHECK(supply.supplied.front().voltage == 6);
  CHECK(supply.supplied.front().current_limit == 3);
  CHECK_FALSE(supply.supplied.front().rises_after);
  plan.feed = Feed::own;
  auto own = bench_of();
  REQUIRE(Watching().run(plan, own).ended);
  CHECK(own.calls == Calls{"connect", "wait", "capture", "off"});
}

TEST_CASE("a switch-on happens after the share of the record that lies before it, by the source or by a contact", "[power][run]") {
  auto plan = fed();
  plan.method = Method::switch_on;
  plan.length = 0.2;
  plan.before = 0.25;
  auto by_source = bench_of();
  const auto ran = Watching().run(plan, by_source);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(by_source.calls == Calls{"connect", "mains", "capture", "off"});
  CHECK(*by_source.fed.front().closes_after == Approx(0.05));
  CHECK(by_source.captured.front().samples == 2002);
  REQUIRE(ran.kept.size() == 1);
  CHECK(ran.kept[0].setting.json().at("trigger_at").get<double>() == Approx(0.05).margin(1e-4));
  plan.feed = Feed::supply;
  plan.supply_voltage = 6;
  auto direct = bench_of();
  REQUIRE(Watching().run(plan, direct).ended);
  CHECK(*direct.supplied.front().rises_after == Approx(0.05));
  plan.contact = "K1";
  auto contact = bench_of();
  REQUIRE(Watching().run(plan, contact).ended);
  CHECK(contact.calls == Calls{"connect", "supply", "operate", "capture", "off"});
  CHECK_FALSE(contact.supplied.front().rises_after);
  CHECK(contact.operated.front().contact == "K1");
  CHECK(contact.operated.front().closed);
  CHECK(contact.operated.front().after == Approx(0.05));
  // Steady cycles leave the contact alone.
  plan.method = Method::cycles;
  auto steady = bench_of();
  REQUIRE(Watching().run(plan, steady).ended);
  CHECK(steady.operated.empty());
}

TEST_CASE("inputs without a range are rehearsed on the widest while the device runs", "[power][run]") {
  auto plan = fed();
  plan.hookup.chains[0].input.range.reset();
  auto bench = bench_of();
  const auto ran = Watching().run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.calls == Calls{"connect", "mains", "wait", "capture", "off", "connect", "mains", "wait", "capture", "off"});
  const auto ranges = bench.limits().ranges;
  CHECK(bench.connected[0][0].range == ranges.back());
  CHECK(bench.connected[0][1].range == 0.5);
  // 34 V behind ten to one are 3.4 V.
  CHECK(bench.connected[1][0].range == *std::find_if(ranges.begin(), ranges.end(), [](double r) { return r >= 3.4 * 1.1; }));
  CHECK(ran.kept[0].setting.json().at("looked_for") == nlohmann::json{"v"});
  plan.method = Method::switch_on;
  auto once = bench_of();
  const auto refused = Watching().run(plan, once);
  REQUIRE_FALSE(refused.ended);
  CHECK(refused.ended.error().fault == Fault::bench);
  CHECK_THAT(refused.ended.error().message, Contains("v looks for its range by itself, and what happens once is over"));
  CHECK(once.calls == Calls{"off"});
}

TEST_CASE("whatever the bench refuses ends the power take with everything off, and a stop keeps what was read", "[power][run]") {
  for (const char* what : {"connect", "mains", "wait", "capture"}) {
    CAPTURE(what);
    auto bench = bench_of();
    bench.before = [&](const std::string& call) -> Result<void> { return call == what ? fail(Fault::bench, "no {}", what) : Result<void>{}; };
    const auto ran = Watching().run(fed(), bench);
    REQUIRE_FALSE(ran.ended);
    CHECK(ran.ended.error().message == std::string("no ") + what);
    CHECK(bench.calls.back() == "off");
    CHECK(ran.kept.empty());
  }
  auto plan = fed();
  plan.readings = 3;
  Watching watching;
  watching.progress = [&](const study::Progress& p) {
    if (p.done == 1) watching.stop.request_stop();
  };
  auto bench = bench_of();
  const auto ran = watching.run(plan, bench);
  REQUIRE_FALSE(ran.ended);
  CHECK(ran.ended.error().fault == Fault::stopped);
  CHECK(ran.ended.error().message == "Stopped after 1 of 3 records; what was read is kept.");
  CHECK(ran.kept.size() == 1);
  auto early = bench_of();
  early.before = [](const std::string& call) -> Result<void> { return call == "wait" ? fail(Fault::stopped, "Stopped.") : Result<void>{}; };
  CHECK(Watching().run(plan, early).ended.error().message == "Stopped after 0 of 3 records; what was read is kept.");
}

TEST_CASE("a look at the wiring takes nothing, and says what is seen and what would explain it", "[power][run][wiring]") {
  auto plan = fed();
  plan.feed = Feed::phases;
  plan.pin_b = "b";
  plan.pin_c = "c";
  plan.readings = 5;
  plan.cycles = 50;
  const auto chains = [](const char* ia, const char* ib) {
    return std::vector<bench::Chain>{sensed("v_a", "a", "Probe x10", 5), sensed("v_b", "b", "Probe x10", 5), sensed("v_c", "c", "Probe x10", 5),
                                     sensed("i_a", ia, "Clamp 40 A", 0.5), sensed("i_b", ib, "Clamp 40 A", 0.5), sensed("i_c", "ic", "Clamp 40 A", 0.5)};
  };
  const auto said = [&](const Plan& of, test::NotingBench& bench, const study::SettingsText& settings = {}) {
    const auto offer = study::power::look_at_wiring(of);
    REQUIRE(offer);
    const auto procedure = offer->make();
    CHECK(procedure->probes());
    CHECK_FALSE(procedure->doing().empty());
    study::Surroundings around;
    around.settings = settings;
    const auto next = procedure->probe(bench, around, {});
    if (!next) return test::spaced(next.error().message);
    CHECK_FALSE(next->pass);
    CHECK(next->edits.empty());
    return test::spaced(next->said);
  };
  plan.hookup.chains = chains("ia", "ib");
  auto sound = bench_of();
  CHECK_THAT(said(plan, sound), Contains("Each channel looks like what it is said to be: v_a 23") && Contains("v_b 23") && Contains("−120 °"));
  // One record of ten cycles, whatever is planned.
  CHECK(sound.captured.size() == 1);
  CHECK(sound.captured.front().samples == 2002);
  CHECK(sound.calls.back() == "off");
  plan.hookup.chains = chains("ib", "ia");
  auto exchanged = bench_of();
  CHECK_THAT(said(plan, exchanged), Contains("The channels are explained if i_a and i_b are exchanged: put it right, or set wire.ia = i_b, wire.ib = i_a."));
  auto put_right = bench_of();
  CHECK_THAT(said(plan, put_right, {{"wire.ia", "i_b"}, {"wire.ib", "i_a"}}), Contains("Each channel looks like"));
  // A direct feed has no cycles to be told by.
  auto direct = fed();
  direct.feed = Feed::supply;
  direct.supply_voltage = 6;
  auto still = bench_of();
  CHECK_THAT(said(direct, still), Contains("The wiring cannot be told: no fundamental is found"));
  auto refusing = bench_of();
  refusing.before = [](const std::string& call) -> Result<void> { return call == "capture" ? fail(Fault::bench, "no input") : Result<void>{}; };
  CHECK(said(plan, refusing) == "no input");
  // What happens once is looked at as it happens.
  auto once = fed();
  once.method = Method::switch_on;
  once.length = 0.2;
  auto switched = bench_of();
  said(once, switched);
  CHECK(switched.fed.front().closes_after);
  CHECK(switched.captured.front().samples == 2002);
}

TEST_CASE("a bridge is switched where its sine crosses the triangle, so that its mean follows the sine", "[power][bench][inverter]") {
  const double f = 50, carrier = 4050, bus = 100, phase = 0.3, edge = 100e-9;
  for (const double peak : {0.0, 10.0, 40.0, 49.0}) {
    CAPTURE(peak);
    const auto w = bench::switched(peak, f, phase, bus, carrier, edge);
    CHECK(w.period == 1 / f);
    // Two edges a period of the triangle, of which 81 lie in one of the sine.
    CHECK(w.points.size() == 2 + 2 * 2 * 81);
    for (std::size_t k = 1; k < w.points.size(); ++k) {
      CHECK(w.points[k].first > w.points[k - 1].first);
      CHECK(std::abs(w.points[k].second) == bus / 2);
    }
    CHECK(w.points.front().second == w.points.back().second);
    // Its fundamental is the sine's, by the closed form of each straight piece: here in small steps.
    std::complex<double> sum = 0;
    constexpr int kSteps = 100'000;
    for (int k = 0; k < kSteps; ++k) {
      const double t = (k + 0.5) / kSteps / f;
      sum += w.at(t) * std::polar(2.0 / kSteps, -2 * std::numbers::pi * f * t);
    }
    CHECK(std::abs(sum - std::polar(peak, phase)) < 0.02);
  }
  // A carrier that does not fit becomes the nearest that does.
  CHECK(bench::switched(10, 50, 0, 100, 4074, edge).points.size() == 2 + 2 * 2 * 81);
  CHECK(bench::switched(10, 50, 0, 100, 4076, edge).points.size() == 2 + 2 * 2 * 82);
  // Near the bus's end pulses become too short for their edges and are left out; none overlap.
  const auto full = bench::switched(50, 50, 0, 100, 40e3, 2e-6);
  CHECK(full.points.size() < 2 + 2 * 2 * 800);
  for (std::size_t k = 1; k < full.points.size(); ++k) CHECK(full.points[k].first > full.points[k - 1].first);
}

TEST_CASE("three coils on an inverter draw what the sine alone would, told by the current's cycles", "[long][power][bench][inverter]") {
  std::string text = "[pins]\n\"a\" = \"a\"\n\"b\" = \"b\"\n\"c\" = \"c\"\n[branches]\n\"ia\" = \"RA.a\"\n\"ib\" = \"RB.a\"\n\"ic\" = \"RC.a\"\n";
  for (const char phase : {'A', 'B', 'C'})
    text += fmt::format("[part.R{0}]\nkind = \"resistor\"\nbetween = [\"{1}\", \"{1}1\"]\nvalue = \"5 ohm\"\n[part.L{0}]\nkind = \"inductor\"\nbetween = [\"{1}1\", \"ground\"]\nvalue = \"10 mH\"\n", phase, char(phase + 32));
  Plan plan{.feed = Feed::inverter, .pin = "a", .pin_b = "b", .pin_c = "c", .voltage = 12, .frequency = 100, .line_resistance = 0.02, .line_inductance = 100e-6, .bus = 48, .carrier = 1e3, .settle_time = 0.012};
  plan.hookup = {.chains = {sensed("v_a", "a", "Probe x10", 5), sensed("v_b", "b", "Probe x10", 5), sensed("v_c", "c", "Probe x10", 5), sensed("i_a", "ia", "Clamp 40 A", 0.5), sensed("i_b", "ib", "Clamp 40 A", 0.5),
                            sensed("i_c", "ic", "Clamp 40 A", 0.5)},
                 .computed = {}};
  plan.rate = 100e3;
  plan.cycles = 3;
  test::NotingBench bench(waveform_bench::circuit(text.c_str()), 7);
  const auto ran = Watching().run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.fed.front().carrier == 1e3);
  CHECK(bench.fed.front().bus == 48);
  const auto read = [&](const study::SettingsText& settings) {
    const auto analysis = study::power::kind().analyse(ran.kept, settings, {});
    if (!analysis) FAIL(analysis.error().message);
    return analysis->reading;
  };
  const auto r = read({{"cycles_by", "i_a"}});
  CHECK(r.find("frequency")->value == Approx(100).epsilon(1e-3));
  const double z2 = 5.02 * 5.02 + std::pow(2 * std::numbers::pi * 100 * 0.0101, 2), current = 12 / std::sqrt(z2);
  CHECK(r.find("harmonic.current.1.a")->value == Approx(current).epsilon(0.02));
  // Ripple of the switching heats a little besides.
  CHECK(r.find("power.active")->value == Approx(3 * current * current * 5).epsilon(0.15));
  CHECK(r.find("sequence")->value == 1);
  CHECK_FALSE(waveform_bench::has(r.doubts, "frequency.unlike"));
  // At two thirds of the bus's half the carrier is more of a phase's voltage than its sine.
  // Of angles at the switching's frequency nothing is said.
  const auto switching = read({});
  CHECK(waveform_bench::has(switching.doubts, "frequency.unlike"));
  for (const char* of : {"wiring.suspected", "wiring.sign", "wiring.sequence", "phase.dead"}) CHECK_FALSE(waveform_bench::has(switching.doubts, of));
  const auto wrong = study::power::kind().analyse(ran.kept, {{"cycles_by", "i_x"}}, {});
  REQUIRE_FALSE(wrong);
  CHECK_THAT(wrong.error().message, Contains("no phase has the quantity \"i_x\""));
  // What it cannot give is refused, and foreseen.
  for (const auto& [member, bad] : {std::pair{&Plan::voltage, 17.1}, {&Plan::bus, 500.0}, {&Plan::carrier, 400.0}, {&Plan::carrier, 60e3}}) {
    auto beyond = plan;
    beyond.*member = bad;
    test::NotingBench other(waveform_bench::circuit(text.c_str()), 7);
    CHECK_FALSE(Watching().run(beyond, other).ended);
  }
  study::Surroundings around;
  around.limits = bench.limits();
  around.terminals = around.pins = {"a", "b", "c", "ia", "ib", "ic"};
  const auto findings = [&](const Plan& p) { return study::power::preflight(p, around); };
  CHECK_FALSE(waveform_bench::has(findings(plan), "source.limit"));
  auto beyond = plan;
  beyond.voltage = 17;
  CHECK(waveform_bench::has(findings(beyond), "source.limit"));
  beyond = plan;
  beyond.bus = 500;
  CHECK(waveform_bench::has(findings(beyond), "source.limit"));
  // Half the bus stands at each pin by the source itself: 24 V just fit into 24 V and not into 20 V, and an eleventh of a range is
  // too little of it.
  const auto ranged = [&](double bus, double range) {
    beyond = plan;
    beyond.bus = bus;
    beyond.hookup.chains[1].input.range = range;
    for (const auto& d : findings(beyond))
      if (d.key == "input.clipped" || d.key == "range.underused") return d;
    return study::Doubt{};
  };
  CHECK(ranged(39.9, 2).key.empty());
  const auto clips = ranged(48, 2);
  CHECK(clips.key == "input.clipped");
  CHECK(clips.severity == study::Severity::serious);
  CHECK(test::spaced(clips.text) == "v_b would reach 24 V peak; its range ends at 20 V.");
  REQUIRE(clips.edits.size() == 1);
  CHECK(clips.edits.front().first == "hookup.v_b.range");
  CHECK(test::spaced(clips.edits.front().second) == "5 V");
  CHECK(ranged(48, 50).key == "range.underused");
  beyond = plan;
  beyond.rate = 7e3;
  CHECK(waveform_bench::has(findings(beyond), "sampling.coarse"));
  around.ratings["b"] = {.voltage = 23, .reverse_voltage = 30};
  CHECK(study::refusal(findings(plan)));
}

}  // namespace power_run
