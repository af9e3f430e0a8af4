#include <cmath>

#include "base/quantity.h"
#include "study/kind.h"
#include "study/waveform/expected.h"
#include "study/waveform/preflight.h"
#include "waveform_support.h"

using namespace heron;
namespace waveform = heron::study::waveform;

/// What a capture foresees: what its formulas say, what its drive does over a record, and what would go wrong.
namespace waveform_bench {
namespace {

study::Surroundings parts() {
  study::Surroundings out;
  out.parts["R1"] = {.value = 200, .tolerance = 0.03};
  out.parts["C1"] = {.value = 1e-6, .tolerance = 0.06};
  out.parts["R9"] = {.value = 5, .tolerance = 0.5};
  return out;
}

waveform::Settings expecting(const char* formula) {
  waveform::Settings out;
  out.expected = {{"v", formula}};
  return out;
}

const study::Doubt* first_of(const std::vector<study::Doubt>& all, std::string_view key) {
  for (const auto& d : all)
    if (d.key == key) return &d;
  return nullptr;
}

}  // namespace

TEST_CASE("an expected curve is its formula over the record, with what its parts may be off by", "[waveform][expected]") {
  auto plan = pulses();
  plan.length = 1e-3;
  plan.before = 0.25;
  for (const auto when : {When::start, When::edge, When::at_once}) {
    plan.when = when;
    const auto read = waveform::expected_waveforms(plan, parts(), expecting("3 * exp(-t / (R1 * C1))"));
    REQUIRE(read);
    REQUIRE(*read);
    const auto& curve = (*read)->curves.at(0);
    const double first = when == When::at_once ? 0 : -0.25e-3;
    REQUIRE((*read)->time.size() == curve.value.size());
    CHECK((*read)->time.front() == Approx(first));
    CHECK((*read)->time.back() == Approx(first + 1e-3));
    CHECK((*read)->time.size() > 400);
    // As likely anywhere within a tolerance: a third of it squared, and two such uncertainties either way.
    for (std::size_t k = 0; k < curve.value.size(); k += 50) {
      const double t = (*read)->time[k], value = 3 * std::exp(-t / 200e-6);
      CHECK(curve.value[k] == Approx(value).epsilon(1e-12));
      const double band = 2 * std::hypot(0.03, 0.06) / std::sqrt(3) * std::abs(value * t / 200e-6);
      CHECK(curve.high[k] - curve.value[k] == Approx(band).epsilon(2e-3).margin(1e-9));
      CHECK(curve.value[k] - curve.low[k] == Approx(band).epsilon(2e-3).margin(1e-9));
    }
    CHECK(curve.quantity == "v");
    CHECK(curve.unit == "V");
  }
  // What no formula names moves nothing.
  const auto fixed = waveform::expected_waveforms(plan, parts(), expecting("1000 * t"));
  REQUIRE(fixed);
  CHECK((*fixed)->curves.at(0).high.back() == (*fixed)->curves.at(0).value.back());
  const auto nothing = waveform::expected_waveforms(plan, parts(), {});
  REQUIRE(nothing);
  CHECK_FALSE(*nothing);
  const auto wrong = waveform::expected_waveforms(plan, parts(), expecting("3 * exp(-t / R77)"));
  REQUIRE_FALSE(wrong);
  CHECK(wrong.error().message.find("expected.v: ") == 0);
  std::stop_source stop;
  stop.request_stop();
  const auto stopped = waveform::expected_waveforms(plan, parts(), expecting("t"), stop.get_token());
  REQUIRE_FALSE(stopped);
  CHECK(stopped.error().fault == Fault::stopped);
}

TEST_CASE("the drive over one record is drawn from where the record begins", "[waveform][expected]") {
  auto plan = pulses();
  plan.length = 100e-6;
  plan.before = 0.3;
  for (const auto when : {When::start, When::edge, When::at_once}) {
    plan.when = when;
    const auto course = waveform::PlannedCapture(plan).course({});
    CHECK(course.seconds == 100e-6);
    REQUIRE(course.tracks.size() == 1);
    const auto& line = course.tracks.front().line;
    CHECK(line.front().first == 0);
    CHECK(line.back().first == Approx(100e-6));
    const auto at = [&](double t) {
      return std::min_element(line.begin(), line.end(), [&](const auto& a, const auto& b) { return std::abs(a.first - t) < std::abs(b.first - t); })->second;
    };
    const double lead = when == When::at_once ? 0 : 30e-6;
    if (lead > 0) CHECK(at(15e-6) == 0);
    CHECK(at(lead + 20e-6) == Approx(3));
    CHECK(at(lead + 55e-6) == Approx(0).margin(1e-9));
  }
  plan.drive = Drive::nothing;
  CHECK(waveform::PlannedCapture(plan).course({}).tracks.empty());
}

TEST_CASE("leads go to what drives and what feeds, and a take lasts as long as both", "[waveform][expected]") {
  auto plan = pulses();
  const auto leads = [&] {
    std::string out;
    for (const auto& lead : waveform::PlannedCapture(plan).leads()) out += lead.name + (lead.along ? " along " : " at ") + lead.pin + "; ";
    return out;
  };
  CHECK(leads() == "generator along in; ");
  plan.feed_pin = "rail";
  CHECK(leads() == "generator along in; DC source at rail; ");
  plan.drive = Drive::surge;
  CHECK(leads() == "surge generator along in; DC source at rail; ");
  plan.drive = Drive::contact;
  CHECK(leads() == "DC source at rail; ");
  plan.feed_pin.clear();
  plan.drive = Drive::supply;
  CHECK(leads() == "DC source along in; ");
  plan.passes = 3;
  plan.feed_time = 2;
  CHECK(waveform::PlannedCapture(plan).seconds({}) == Approx(3 * 50e-6));
  plan.feed_pin = "rail";
  CHECK(waveform::PlannedCapture(plan).seconds({}) == Approx(3 * (2 + 50e-6)));
}

TEST_CASE("what drives below zero is held against the rating below zero alone", "[waveform][preflight]") {
  constexpr const char* kSmall =
      "[pins]\n\"in\" = \"in\"\n[ratings]\n\"in\" = { voltage = \"0.4 V\", reverse_voltage = \"0.4 V\" }\n"
      "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"ground\"]\nvalue = \"100 ohm\"\n";
  auto plan = pulses();
  plan.low = -0.3;
  plan.high = -0.1;
  Studied s(kSmall, plan);
  const auto binding = [&](const Plan& p) {
    for (const auto& d : s.findings(p))
      if (d.binding) return test::spaced(d.text);
    return std::string();
  };
  CHECK(binding(plan).empty());
  plan.high = 0.39;
  CHECK(binding(plan).empty());
  plan.high = 0.41;
  CHECK(binding(plan) == "in would see 410 mV; its rating is 400 mV.");
  plan.high = 0.3;
  plan.low = -0.41;
  CHECK(binding(plan) == "in would see \u2212410 mV; its rating is \u2212400 mV.");
  plan.drive = Drive::supply;
  plan.supply_voltage = 0.39;
  CHECK(binding(plan).empty());
  plan.supply_voltage = 0.41;
  CHECK(binding(plan) == "in would see 410 mV; its rating is 400 mV.");
  plan.drive = Drive::surge;
  plan.surge_peak = 0.39;
  CHECK(binding(plan).empty());
  plan.surge_peak = -0.41;
  CHECK(binding(plan) == "in would see \u2212410 mV; its rating is \u2212400 mV.");
  // What feeds is told apart from what drives.
  plan = pulses();
  plan.low = 0;
  plan.high = 0.1;
  plan.feed_pin = "in";
  plan.feed_voltage = 0.41;
  CHECK(binding(plan) == "in would be fed with 410 mV; its rating is 400 mV.");
}

TEST_CASE("an edge of the drive that samples miss is told with a rate that shows it, where a record has the room", "[waveform][preflight]") {
  auto plan = pulses();
  plan.edge = 1e-6;
  plan.hookup.chains.front().input.sensor.bandwidth = 0;
  Studied s(kResistor, plan);
  // 10 to 90 % of an edge of 1 us takes 0.8 us, and 25 MHz of the input 14 ns: four samples of it are 5 MS/s.
  const auto doubt = [&](double rate, double length) -> std::optional<study::Doubt> {
    plan.rate = rate;
    plan.length = length;
    const auto all = s.findings(plan);
    const auto* found = first_of(all, "sampling.coarse");
    return found ? std::optional(*found) : std::nullopt;
  };
  CHECK_FALSE(doubt(5.05e6, 1e-3));
  const auto said = doubt(4.0e6, 1e-3);
  REQUIRE(said);
  CHECK(test::spaced(said->text) == "The drive's edge of 800 ns has 3.2 samples at 4 MHz.");
  CHECK(said->severity == study::Severity::note);
  REQUIRE(said->edits.size() == 1);
  CHECK(said->edits.front().first == "rate");
  CHECK(parse_value(said->edits.front().second, "Hz").value() == Approx(5e6).epsilon(1e-3));
  // Two digits: 1.2 us of an edge of 1.5.
  plan.edge = 1.5e-6;
  CHECK(test::spaced(doubt(1e6, 1e-3)->text) == "The drive's edge of 1.2 \u00b5s has 1.2 samples at 1 MHz.");
  plan.edge = 1e-6;
  // 2^26 samples at 5 MS/s last 13.4 s.
  CHECK(doubt(1e5, 13.3)->edits.size() == 1);
  CHECK(doubt(1e5, 13.5)->edits.empty());
  // No faster than the inputs are.
  plan.edge = 1e-9;
  plan.hookup.chains.front().input.bandwidth_limit = false;
  const auto fast = doubt(50e6, 1e-6);
  REQUIRE(fast);
  CHECK(parse_value(fast->edits.front().second, "Hz").value() == Approx(100e6));
  // A sine has no edges, but periods: eight samples are the fewest, twenty are proposed.
  plan.shape = Shape::sine;
  plan.period = 100e-6;
  const auto coarse = doubt(79e3, 1e-2);
  REQUIRE(coarse);
  CHECK(test::spaced(coarse->text) == "A period of the drive has 7.9 samples.");
  CHECK(parse_value(coarse->edits.front().second, "Hz").value() == Approx(200e3));
  plan.drive = Drive::nothing;
  CHECK_FALSE(doubt(79e3, 1e-2));
  // Where nothing is sensed that alone is told.
  plan = pulses();
  plan.edge = 1e-6;
  plan.hookup.chains.clear();
  CHECK_FALSE(doubt(1e5, 1e-3));
  CHECK(has(s.findings(plan), "input.missing"));
}

TEST_CASE("a level that never comes is told with what is expected, and one in the middle offered", "[waveform][preflight]") {
  auto plan = pulses();
  plan.when = When::edge;
  plan.patience = 1;
  Studied s(kResistor, plan);
  // From 0 to 2 V; a quarter of that either way is not told.
  for (const auto& [level, told] : {std::pair{-0.49, false}, {-0.51, true}, {2.49, false}, {2.51, true}}) {
    plan.level = level;
    const auto all = s.findings(plan);
    const auto* doubt = first_of(all, "trigger.missing");
    CHECK((doubt != nullptr) == told);
    if (!doubt) continue;
    CHECK_THAT(test::spaced(doubt->text), Catch::Matchers::Contains("and 2.00 V; it will not pass"));
    CHECK(parse_value(doubt->edits.front().second, "V").value() == Approx(1).epsilon(0.02));
  }
  plan.level = 1;
  for (const double patience : {49e-6, 51e-6}) {
    plan.patience = patience;
    const auto all = s.findings(plan);
    const auto* doubt = first_of(all, "trigger.missing");
    CHECK((doubt != nullptr) == (patience < 50e-6));
    if (!doubt) continue;
    CHECK(doubt->edits.front().first == "patience");
    CHECK(parse_value(doubt->edits.front().second, "s").value() == Approx(200e-6));
  }
}

TEST_CASE("a watch can trip only on what is sensed, or on the only quantity", "[waveform][preflight]") {
  auto plan = pulses();
  plan.keep = waveform::Keep::tripped;
  Studied s(kResistor, plan);
  const auto missing = [&](const char* watch) {
    auto around = *run::surroundings_of(s.store, s.study);
    around.settings["watch.high"] = watch;
    return has(waveform::preflight(plan, around, nullptr), "watch.missing");
  };
  CHECK_FALSE(missing("over 1 V"));
  CHECK_FALSE(missing("v over 1 V"));
  CHECK(missing("w over 1 V"));
  plan.hookup.computed = {{.name = "w", .unit = "V", .formula = "2 * v"}};
  CHECK(missing("over 1 V"));
  CHECK_FALSE(missing("w over 1 V"));
  plan.keep = waveform::Keep::all;
  CHECK_FALSE(missing("nothing over 1 V"));
}

TEST_CASE("more passes are offered against noise until there are ten thousand", "[waveform][preflight]") {
  auto plan = pulses();
  const auto passes = [&] {
    const auto remedy = waveform::PlannedCapture(plan).remedy({.mend = study::Mend::average});
    return remedy.edits.empty() ? std::string("none") : remedy.edits.front().second;
  };
  CHECK(passes() == "4");
  plan.passes = 3000;
  CHECK(passes() == "10000");
  plan.when = When::at_once;
  CHECK(passes() == "none");
  plan.when = When::start;
  plan.shape = Shape::step;
  CHECK(passes() == "none");
}

TEST_CASE("a surge alone is armed by a person", "[waveform]") {
  waveform::Plan plan;
  plan.drive_pin = "antenna";
  for (const auto drive : {waveform::Drive::nothing, waveform::Drive::generator, waveform::Drive::supply, waveform::Drive::contact}) {
    plan.drive = drive;
    CHECK(waveform::PlannedCapture(plan).arms().empty());
  }
  plan.drive = waveform::Drive::surge;
  plan.surge_peak = 60;
  CHECK(test::spaced(waveform::PlannedCapture(plan).arms()) == "a surge of 60 V at antenna");
}

TEST_CASE("a first plan drives the first pin and senses the second, where there is one", "[waveform]") {
  study::Surroundings around;
  CHECK_FALSE(waveform::first_plan(around));
  around.terminals = {"in"};
  const auto one = waveform::first_plan(around);
  REQUIRE(one);
  CHECK((*one)->to_json().at("drive_pin") == "in");
  CHECK(dynamic_cast<const waveform::PlannedCapture&>(**one).plan().hookup.chains.front().input.pin == "in");
  around.terminals = {"in", "out", "rail"};
  CHECK(dynamic_cast<const waveform::PlannedCapture&>(**waveform::first_plan(around)).plan().hookup.chains.front().input.pin == "out");
}

}  // namespace waveform_bench
