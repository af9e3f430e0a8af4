#include <cmath>

#include "noting_bench.h"
#include "study/waveform/settings.h"
#include "waveform_support.h"

using namespace heron;

/// What a capture asks of the bench, in which order, and what it stores beside the samples.
namespace waveform_bench {
namespace {

struct Ran {
  Result<void> ended;
  std::vector<study::Point> kept, rolled;
  std::vector<study::Progress> told;
};

struct Watching {
  study::Surroundings around;
  std::stop_source stop;
  std::function<void(const study::Progress&)> progress = {};
  bool rolls = false;

  Ran run(const Plan& plan, bench::Bench& bench) {
    Ran out;
    study::RunContext context{.around = around,
                              .keep = [&](const study::Point& p) -> Result<void> {
                                out.kept.push_back(p);
                                return {};
                              },
                              .progress = [&](const study::Progress& p) {
                                out.told.push_back(p);
                                if (progress) progress(p);
                              },
                              .stop = stop.get_token()};
    if (rolls) context.so_far = [&](const study::Point& p) { out.rolled.push_back(p); };
    out.ended = study::waveform::PlannedCapture(plan).run(bench, context);
    return out;
  }
};

Plan few_pulses() {
  auto plan = pulses();
  plan.rate = 10e6;
  return plan;
}

/// The last that was said of what is waited for.
std::string waited_for(const Ran& ran) {
  std::string said;
  for (const auto& p : ran.told)
    if (!p.waits.empty()) said = test::spaced(p.waits);
  return said;
}

using Calls = std::vector<std::string>;

}  // namespace

TEST_CASE("what feeds comes on first and what drives last, and every pass begins and ends at rest", "[waveform][run]") {
  test::NotingBench bench(circuit(kFed), 4);
  auto plan = opened();
  plan.passes = 2;
  const auto ran = Watching().run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  const Calls pass = {"off", "connect", "supply", "wait", "operate", "capture"};
  Calls wanted = pass;
  wanted.insert(wanted.end(), pass.begin(), pass.end());
  wanted.push_back("off");
  CHECK(bench.calls == wanted);
  CHECK(bench.waited == std::vector<double>{0.01, 0.01});
  CHECK(bench.supplied.front().voltage == 4);
  CHECK(bench.supplied.front().current_limit == 2);
  CHECK_FALSE(bench.supplied.front().rises_after);
  CHECK(bench.operated.front().contact == "K1");
  CHECK_FALSE(bench.operated.front().closed);
  CHECK(ran.kept.size() == 2);
  CHECK(ran.kept[0].index == 0);
  CHECK(ran.kept[1].index == 1);
  CHECK(ran.kept[1].setting.json().at("pass") == 1);
  // A point a pass, each with one record of its own.
  for (const auto& point : ran.kept) {
    REQUIRE(point.records.size() == 1);
    CHECK(point.records.front().pass == 0);
  }
}

TEST_CASE("what drives once moves after the share of the record that lies before it", "[waveform][run]") {
  for (const auto when : {When::start, When::at_once}) {
    const double lead = when == When::start ? 4e-3 : 0;
    auto plan = opened();
    plan.when = when;
    test::NotingBench contact(circuit(kFed), 4);
    REQUIRE(Watching().run(plan, contact).ended);
    CHECK(contact.operated.front().after == Approx(lead));
    plan.drive = Drive::supply;
    plan.drive_pin = "feed";
    plan.feed_pin.clear();
    plan.supply_voltage = 3;
    plan.supply_limit = 1.5;
    test::NotingBench supply(circuit(kFed), 4);
    REQUIRE(Watching().run(plan, supply).ended);
    REQUIRE(supply.supplied.size() == 1);
    CHECK(*supply.supplied.front().rises_after == Approx(lead));
    CHECK(supply.supplied.front().voltage == 3);
    CHECK(supply.supplied.front().current_limit == 1.5);
    auto surge = pulses();
    surge.when = when;
    surge.drive = Drive::surge;
    surge.surge_peak = 3;
    surge.surge_resistance = 25;
    surge.surge_front = 2e-6;
    surge.surge_tail = 40e-6;
    test::NotingBench surged(circuit(kResistor), 4);
    const auto ran = Watching().run(surge, surged);
    if (!ran.ended) FAIL(ran.ended.error().message);
    CHECK(surged.surged.front().after == Approx(when == When::start ? 10e-6 : 0));
    CHECK(surged.surged.front().source_resistance == 25);
    CHECK(surged.surged.front().front == 2e-6);
    CHECK(surged.surged.front().tail == 40e-6);
    // The trigger lies where the drive begins.
    const auto& setting = ran.kept.front().setting.json();
    if (when == When::start) CHECK(setting.at("trigger_at").get<double>() == Approx(10e-6).margin(2e-8));
    if (when == When::at_once) CHECK_FALSE(setting.contains("trigger_at"));
  }
}

TEST_CASE("an edge is looked for in volts at its input, through zero, factor and sign of the sensor", "[waveform][run]") {
  auto plan = few_pulses();
  plan.when = When::edge;
  plan.level = 1.25;
  plan.hysteresis = 0.2;
  plan.hold_off = 3e-6;
  plan.patience = 2e-3;
  plan.before = 0.3;
  auto other = plan.hookup.chains.front();
  other.name = "other";
  plan.hookup.chains.insert(plan.hookup.chains.begin(), other);
  auto& chain = plan.hookup.chains.back();
  chain.zero = 0.125;
  struct Case {
    double correction, level, hysteresis;
    bool rising;
  };
  for (const auto& c : {Case{1, 1.375, 0.2, true}, {2, 0.75, 0.1, true}, {-1, -1.125, 0.2, false}}) {
    chain.correction = c.correction;
    for (const auto slope : {Slope::rising, Slope::falling}) {
      plan.slope = slope;
      test::NotingBench bench(circuit(kResistor), 4);
      const auto ran = Watching().run(plan, bench);
      if (!ran.ended) FAIL(ran.ended.error().message);
      const auto& trigger = bench.triggers.front();
      CHECK(trigger.input == 1);
      CHECK(trigger.level == Approx(c.level));
      CHECK(trigger.hysteresis == Approx(c.hysteresis));
      CHECK(trigger.rising == (c.rising == (slope == Slope::rising)));
      CHECK(trigger.hold_off == 3e-6);
      CHECK(trigger.time_out == 2e-3);
      CHECK(trigger.pre_trigger == 0.3);
      CHECK(trigger.event == bench::TriggerSetup::Event::edge);
    }
  }
  // What was waited for stands beside the samples.
  plan.pulse_width = 5e-6;
  for (const auto when : {When::edge, When::narrow_pulse, When::wide_pulse}) {
    plan.when = when;
    plan.slope = Slope::rising;
    chain.correction = 1;
    test::NotingBench bench(circuit(kResistor), 4);
    const auto ran = Watching().run(plan, bench);
    if (!ran.ended) FAIL(ran.ended.error().message);
    const auto& waits = ran.kept.front().setting.json().at("waits_for");
    CHECK(waits.at("quantity") == "v");
    CHECK(waits.at("level") == 1.25);
    CHECK(waits.contains("pulse") == (when != When::edge));
    CHECK(bench.triggers.front().width == 5e-6);
    using Event = bench::TriggerSetup::Event;
    CHECK(bench.triggers.front().event == (when == When::edge ? Event::edge : when == When::narrow_pulse ? Event::narrower : Event::wider));
  }
}

TEST_CASE("while nothing comes it is said what is waited for and what is seen, lowest first", "[waveform][run]") {
  auto plan = few_pulses();
  plan.when = When::edge;
  plan.level = 2.9;
  plan.patience = 3e-3;
  for (const double correction : {1.0, -1.0}) {
    plan.hookup.chains.front().correction = correction;
    plan.level = 2.9 * correction;
    plan.slope = correction > 0 ? Slope::rising : Slope::falling;
    plan.hookup.chains.front().zero = 0.5;
    test::NotingBench bench(circuit(kResistor), 4);
    const auto ran = Watching().run(plan, bench);
    if (!ran.ended) FAIL(ran.ended.error().message);
    const auto said = waited_for(ran);
    // From 0 to 2 V, half a volt taken off.
    const auto between = said.find("; it is between ");
    INFO(said);
    REQUIRE(between != std::string::npos);
    CHECK(said.substr(0, between) == (correction > 0 ? "v to rise through 2.9 V" : "v to fall through \u22122.9 V"));
    const auto what = said.substr(between + 16);
    CHECK(what.find(correction > 0 ? "\u2212500 mV and 1.5" : "\u22121.50 V and 500 mV") == 0);
  }
  plan = few_pulses();
  plan.level = 1;
  plan.patience = 3e-3;
  plan.pulse_width = 1e-6;
  for (const auto& [when, slope, wanted] : {std::tuple{When::narrow_pulse, Slope::rising, "a pulse of v above 1 V, narrower than 1 us"},
                                            {When::wide_pulse, Slope::falling, "a pulse of v below 1 V, wider than 1 ms"}}) {
    plan.when = when;
    plan.slope = slope;
    plan.pulse_width = when == When::narrow_pulse ? 1e-6 : 1e-3;
    test::NotingBench bench(circuit(kResistor), 4);
    const auto ran = Watching().run(plan, bench);
    if (!ran.ended) FAIL(ran.ended.error().message);
    const auto said = waited_for(ran);
    auto plain = said.substr(0, said.find("; it is"));
    if (const auto mu = plain.find("\u00b5"); mu != std::string::npos) plain.replace(mu, 2, "u");
    CHECK(plain == wanted);
  }
}

TEST_CASE("an input without a range is rehearsed on the widest and read on the smallest that holds what came", "[waveform][run]") {
  auto plan = few_pulses();
  plan.hookup.chains.front().input.range.reset();
  auto fixed = plan.hookup.chains.front();
  fixed.name = "fixed";
  fixed.input.range = 20;
  plan.hookup.chains.push_back(fixed);
  plan.high = 1.2;
  plan.feed_pin = "";
  test::NotingBench bench(circuit(kResistor), 4);
  const auto ran = Watching().run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  CHECK(bench.calls == Calls{"connect", "generate", "capture", "off", "off", "connect", "generate", "capture", "off"});
  REQUIRE(bench.connected.size() == 2);
  CHECK(bench.connected[0][0].range == bench.limits().ranges.back());
  CHECK(bench.connected[0][1].range == 20.0);
  // 0.8 V at the pin, and a tenth of room.
  CHECK(bench.connected[1][0].range == 1.0);
  CHECK(bench.connected[1][1].range == 20.0);
  CHECK(bench.captured[0].samples == 500);
  CHECK(ran.kept.front().setting.json().at("looked_for") == nlohmann::json({"v"}));
  // A rehearsal never takes more than what is held in memory.
  plan.length = 0.3;
  plan.rate = 10e6;
  test::NotingBench longer(circuit(kResistor), 4);
  longer.before = [](const std::string& call) -> Result<void> {
    return call == "capture" ? fail(Fault::bench, "no more of this") : Result<void>{};
  };
  const auto refused = Watching().run(plan, longer);
  REQUIRE_FALSE(refused.ended);
  CHECK(refused.ended.error().message == "no more of this");
  CHECK(longer.captured.front().samples == study::waveform::kInMemory);
  CHECK(longer.calls.back() == "off");
  // What happens once is over before a range is found.
  auto once = opened();
  once.hookup.chains.front().input.range.reset();
  test::NotingBench none(circuit(kFed), 4);
  const auto told = Watching().run(once, none);
  REQUIRE_FALSE(told.ended);
  CHECK(told.ended.error().message.find("v looks for its range by itself") == 0);
  CHECK(none.captured.empty());
}

TEST_CASE("whatever the bench refuses ends the take, with everything off", "[waveform][run]") {
  auto plan = opened();
  plan.passes = 3;
  for (const std::string call : {"connect", "supply", "wait", "operate", "capture"}) {
    test::NotingBench bench(circuit(kFed), 4);
    bench.before = [&](const std::string& name) -> Result<void> {
      return name == call && std::count(bench.calls.begin(), bench.calls.end(), call) == 2 ? fail(Fault::bench, "{} fails", call) : Result<void>{};
    };
    const auto ran = Watching().run(plan, bench);
    REQUIRE_FALSE(ran.ended);
    CHECK(ran.ended.error().message == call + " fails");
    CHECK(ran.kept.size() == 1);
    CHECK(bench.calls.back() == "off");
  }
}

TEST_CASE("a take that is stopped says after how many records, and how long the rest takes before", "[waveform][run]") {
  auto plan = few_pulses();
  plan.passes = 4;
  test::NotingBench bench(circuit(kResistor), 4);
  Watching watching;
  watching.progress = [&](const study::Progress& p) {
    if (p.done == 2) watching.stop.request_stop();
  };
  const auto ran = watching.run(plan, bench);
  REQUIRE_FALSE(ran.ended);
  CHECK(ran.ended.error().fault == Fault::stopped);
  CHECK(ran.ended.error().message == "Stopped after 2 of 4 records; what was read is kept.");
  CHECK(ran.kept.size() == 2);
  REQUIRE(ran.told.size() == 3);
  for (std::size_t k = 0; k < 3; ++k) {
    CHECK(ran.told[k].done == int(k));
    CHECK(ran.told[k].total == 4);
    CHECK(ran.told[k].bench_seconds_left == Approx((4 - double(k)) * 50e-6));
  }
  test::NotingBench again(circuit(kResistor), 4);
  const auto whole = Watching().run(plan, again);
  REQUIRE(whole.ended);
  CHECK(whole.told.size() == 5);
  CHECK(whole.told.back().done == 4);
  CHECK(whole.told.back().bench_seconds_left == 0);
  // Stopped before anything was done.
  Watching never;
  never.stop.request_stop();
  test::NotingBench untouched(circuit(kResistor), 4);
  const auto nothing = never.run(plan, untouched);
  REQUIRE_FALSE(nothing.ended);
  CHECK(untouched.calls == Calls{"off"});
}

TEST_CASE("a record says what sets its speed, what was foreseen and how fast the inputs are", "[waveform][run]") {
  auto plan = few_pulses();
  const auto chain = [&](const char* name, const char* sensor, bool limited) {
    auto out = plan.hookup.chains.front();
    out.name = name;
    out.input.sensor = exact(sensor);
    out.input.bandwidth_limit = limited;
    return out;
  };
  auto slow = chain("slow", "Direct lead", false);
  slow.input.sensor.bandwidth = 5e6;
  auto even = chain("even", "Direct lead", true);
  plan.hookup.chains = {chain("free", "Direct lead", false), chain("filtered", "Direct lead", true), slow, chain("faster", "Direct lead", true), even};
  // More than twice as fast as the two together.
  plan.hookup.chains[3].input.sensor.bandwidth = 60e6;
  // As fast as the filter: both limit alike.
  plan.hookup.chains.back().input.sensor.bandwidth = 25e6;
  Studied s(kResistor, plan);
  const auto take = s.take();
  if (!take) FAIL(take.error().message);
  const auto json = s.store.points(*take)->front().setting.json();
  CHECK(json.at("chains").at("free").at("slowest") == "input");
  CHECK(json.at("chains").at("filtered").at("slowest") == "input's filter");
  CHECK(json.at("chains").at("slow").at("slowest") == slow.input.sensor.name);
  CHECK(json.at("chains").at("faster").at("slowest") == "input's filter");
  CHECK(json.at("chains").at("even").at("slowest") == even.input.sensor.name);
  CHECK(json.at("chains").at("slow").at("bandwidth").get<double>() == Approx(5e6).epsilon(2e-3));
  CHECK(json.at("fastest").get<double>() == 100e6);
  // 3 V behind 50 ohm at 100 ohm swing by 2 V.
  CHECK(json.at("expected").at("free").get<double>() == Approx(2).epsilon(0.01));
  // No more than the input can show: both ends of its range.
  plan.hookup.chains = {chain("v", "Direct lead", false)};
  plan.hookup.chains.front().input.range = 0.5;
  Studied small(kResistor, plan);
  const auto clipped = small.take({.accepted = {"input.clipped"}});
  if (!clipped) FAIL(clipped.error().message);
  CHECK(small.store.points(*clipped)->front().setting.json().at("expected").at("v").get<double>() == Approx(1).epsilon(1e-6));
}

TEST_CASE("a slow record rolls by, with its latest part in its place in time", "[waveform][run]") {
  auto plan = few_pulses();
  plan.shape = Shape::sine;
  plan.low = -1;
  plan.high = 1;
  plan.period = 0.1;
  plan.rate = 1e3;
  plan.before = 0.25;
  for (const auto& [length, paced] : {std::pair{0.4, true}, {0.2, true}, {0.4, false}}) {
    plan.length = length;
    test::NotingBench bench(circuit(kResistor), 4, {}, paced);
    Watching watching;
    watching.rolls = true;
    const auto ran = watching.run(plan, bench);
    if (!ran.ended) FAIL(ran.ended.error().message);
    const bool rolls = paced && length > 0.3;
    CHECK(bench.captured.front().in_stretches == rolls);
    CHECK(ran.rolled.empty() != rolls);
    REQUIRE(ran.kept.size() == 1);
    const auto& whole = ran.kept.front().records.front().channels.front().counts;
    CHECK(whole.size() == std::size_t(std::lround(length * 1e3)));
    double share = 0;
    for (const auto& p : ran.told) {
      CHECK(p.share >= (p.done == 1 ? 0 : share));
      share = p.share;
      if (p.done == 0) CHECK(p.bench_seconds_left == Approx((1 - p.share) * length));
    }
    std::size_t before = 0;
    for (const auto& p : ran.rolled) {
      const auto& part = p.records.front().channels.front().counts;
      CHECK(part.size() > before);
      before = part.size();
      // What came so far, from the record's beginning.
      CHECK(std::equal(part.begin(), part.end(), whole.begin()));
      CHECK(p.setting.json().at("trigger_at").get<double>() == Approx(0.25 * length).margin(2e-3));
    }
    if (rolls) CHECK(before == whole.size());
  }
}

TEST_CASE("of a record that rolls on for long the latest samples are shown where they lie in time", "[waveform][run]") {
  auto plan = few_pulses();
  plan.shape = Shape::sine;
  plan.low = -1;
  plan.high = 1;
  plan.period = 1e-3;
  plan.length = 0.5;
  plan.rate = 2e6;
  plan.before = 0;
  test::NotingBench bench(circuit(kResistor), 4, {}, true);
  Watching watching;
  watching.rolls = true;
  const auto ran = watching.run(plan, bench);
  if (!ran.ended) FAIL(ran.ended.error().message);
  const auto& whole = ran.kept.front().records.front().channels.front().counts;
  CHECK(whole.size() == 1'000'000);
  REQUIRE_FALSE(ran.rolled.empty());
  std::size_t most = 0;
  for (const auto& p : ran.rolled) {
    const auto& part = p.records.front().channels.front().counts;
    most = std::max(most, part.size());
    const double gone = ran.kept.front().setting.json().at("trigger_at").get<double>() - p.setting.json().at("trigger_at").get<double>();
    const auto dropped = std::size_t(std::lround(gone * 2e6));
    REQUIRE(dropped + part.size() <= whole.size());
    CHECK(std::equal(part.begin(), part.end(), whole.begin() + std::ptrdiff_t(dropped)));
  }
  CHECK(most <= std::size_t(2) << 18);
  CHECK(ran.rolled.back().records.front().channels.front().counts.size() >= std::size_t(1) << 18);
}

TEST_CASE("the first record in which a watch trips ends the take, each of the others is shown and let go", "[waveform][run]") {
  auto plan = few_pulses();
  plan.keep = study::waveform::Keep::tripped;
  plan.passes = 3;
  Watching watching;
  watching.rolls = true;
  for (const auto& [limit, kept, shown] : {std::tuple{"over 3 V", 0, 3}, {"over 1 V", 1, 1}}) {
    watching.around.settings = {{"watch.high", limit}};
    test::NotingBench bench(circuit(kResistor), 4);
    const auto ran = watching.run(plan, bench);
    CHECK(ran.ended.has_value() == (kept == 1));
    if (!ran.ended) CHECK(ran.ended.error().message == "No watch tripped in 3 records; nothing was kept.");
    CHECK(ran.kept.size() == std::size_t(kept));
    CHECK(ran.rolled.size() == std::size_t(shown));
  }
}

}  // namespace waveform_bench
