#include <catch2/catch.hpp>

#include "run/probes.h"
#include "run/ledger.h"
#include "run/take.h"
#include "study/response/assembly.h"
#include "study/response/expected.h"
#include "mudlark/recipe.h"
#include "sim/predict.h"
#include "study/response/brief.h"
#include "study/response/preflight.h"
#include "study/response/reduce.h"
#include "support.h"

using namespace heron;
using namespace heron::study;

namespace {

/// The practice dossier, written once.
dossier::Store practice() {
  static const test::Folder folder;
  static const bool written = [] {
    const auto made = demo::write_practice(folder.path().string());
    if (!made) FAIL(made.error().message);
    return true;
  }();
  REQUIRE(written);
  auto store = dossier::Store::open(folder.file(demo::kPracticeName));
  if (!store) FAIL(store.error().message);
  return std::move(*store);
}

struct Outcome {
  std::vector<Doubt> before, after;
  std::optional<Error> refused;
};

Outcome outcome(const std::string& study_name, const std::set<std::string>& accepted = {}, std::uint64_t seed = 3) {
  auto store = practice();
  const auto study = store.find_study(study_name);
  REQUIRE(study);
  Outcome out;
  run::TakeEvents events;
  events.found = [&](const std::vector<Doubt>& found) -> Result<void> {
    out.before = found;
    return {};
  };
  const auto take = run::run_take(store, *study, "simulated", seed, {.accepted = accepted}, events, {});
  if (!take) {
    out.refused = take.error();
    return out;
  }
  const auto read = run::analyse_take(store, *study, *store.take(*take));
  REQUIRE(read);
  out.after = read->reading.doubts;
  return out;
}

const Doubt* find(const std::vector<Doubt>& list, std::string_view key) {
  for (const auto& d : list)
    if (d.key == key && d.severity != Severity::note) return &d;
  return nullptr;
}

bench::Limits bench_limits() {
  auto store = practice();
  return (*run::open_bench(store, "simulated", 1))->limits();
}

}  // namespace

TEST_CASE("the sound set-up raises nothing, whatever the noise", "[long][preflight][practice]") {
  for (const std::uint64_t seed : {3, 4, 5}) {
    const auto sound = outcome(demo::sound_study_name(), {}, seed);
    CHECK_FALSE(sound.refused);
    CHECK(sound.before.empty());
    for (const auto& d : sound.after) {
      INFO(d.text);
      CHECK(d.severity == Severity::note);
    }
  }
}

TEST_CASE("each set-up that is wrong on purpose is caught: sources, sensors and wires", "[long][preflight][practice]") {
  CHECK(demo::fault_names().size() == 23);
  SECTION("clipped: refused, and doubted when taken all the same") {
    const auto refused = outcome("Clipped");
    REQUIRE(refused.refused);
    CHECK(refused.refused->fault == Fault::bench);
    CHECK_THAT(refused.refused->message, Catch::Matchers::Contains("its range ends at 100 mV"));
    const auto taken = outcome("Clipped", {"input.clipped"});
    CHECK_FALSE(taken.refused);
    CHECK(find(taken.after, "input.clipped"));
  }
  SECTION("a converter sensed at the supply's terminals: its leads' share is told") {
    const auto taken = outcome("Converter, sensed at the supply's terminals");
    CHECK_FALSE(taken.refused);
    CHECK(find(taken.before, "leads.drop"));
    CHECK(find(taken.after, "leads.drop"));
  }
  SECTION("a supply that folds back is foreseen and found") {
    const auto taken = outcome("Converter, the supply's limit too low");
    CHECK_FALSE(taken.refused);
    CHECK(find(taken.before, "source.limit"));
    CHECK(find(taken.after, "source.limit"));
  }
  SECTION("a shunt the other way round says so, with what turns it") {
    const auto taken = outcome("Half-bridge, the shunt the other way round");
    CHECK_FALSE(taken.refused);
    const auto* d = find(taken.after, "wiring.sign");
    REQUIRE(d);
    CHECK_THAT(d->remedy, Catch::Matchers::Contains("wire.i_d = -i_d"));
  }
  SECTION("a clamp too slow for a switching edge is foreseen and found") {
    const auto taken = outcome("Half-bridge, a clamp too slow for its edges");
    CHECK_FALSE(taken.refused);
    CHECK(find(taken.before, "bandwidth.limits_edge"));
    CHECK(find(taken.after, "bandwidth.limits_edge"));
    CHECK(find(taken.after, "skew.suspected"));
  }
  SECTION("a bus beyond its rating is refused, and cannot be accepted") {
    const auto refused = outcome("Half-bridge, the bus beyond its rating");
    REQUIRE(refused.refused);
    CHECK_THAT(refused.refused->message, Catch::Matchers::Contains("its rating is 75 V"));
    CHECK(outcome("Half-bridge, the bus beyond its rating", {"rating.near"}).refused);
  }
  SECTION("a shunt that heats is told by how much") {
    const auto taken = outcome("Converter, a shunt that heats");
    const auto* d = find(taken.after, "shunt.drift");
    REQUIRE(d);
    CHECK_THAT(d->text, Catch::Matchers::Contains("moves by 0.2"));
  }
  SECTION("a surge into a probe that bears less is refused, and cannot be accepted") {
    const auto refused = outcome("Surge into a probe of 3 V");
    REQUIRE(refused.refused);
    CHECK_THAT(refused.refused->message, Catch::Matchers::Contains("the sensor bears 3 V"));
    for (const auto& d : refused.before)
      if (d.severity == Severity::serious) CHECK(outcome("Surge into a probe of 3 V", {d.key}).refused);
  }
  SECTION("a sensor that is too slow for the edge is named, with what the edge may be") {
    const auto taken = outcome("Surge seen too slowly");
    CHECK_FALSE(taken.refused);
    const auto* doubt = find(taken.after, "bandwidth.limits_edge");
    REQUIRE(doubt);
    CHECK_THAT(doubt->text, Catch::Matchers::Contains("Probe x1 "));
  }
  SECTION("a clamp the other way round, two exchanged, a factor forgotten: each is told by its cause") {
    for (const auto& [name, said] : {std::pair{"Thruster, a clamp the other way round", "i_b is the other way round"},
                                     {"Thruster, two clamps exchanged", "i_b and i_c are exchanged"},
                                     {"Thruster, a factor of ten forgotten", "v_b is ten times too small"}}) {
      CAPTURE(name);
      const auto taken = outcome(name);
      CHECK_FALSE(taken.refused);
      const auto* doubt = find(taken.after, "wiring.suspected");
      REQUIRE(doubt);
      CHECK_THAT(doubt->text, Catch::Matchers::Contains(said));
    }
  }
}

TEST_CASE("each set-up that is wrong on purpose is caught: ranges, probes and levels", "[long][preflight][practice]") {
  SECTION("range underused") {
    const auto o = outcome("Range underused");
    CHECK(find(o.before, "range.underused"));
    CHECK(find(o.after, "range.underused"));
  }
  SECTION("x10 forgotten: nothing shows before, all of it after") {
    const auto o = outcome("Forgotten x10");
    CHECK(o.before.empty());
    REQUIRE(find(o.after, "factor.suspected"));
    CHECK(find(o.after, "factor.suspected")->severity == Severity::serious);
    CHECK_THAT(find(o.after, "factor.suspected")->text, Catch::Matchers::Contains("a x10 probe"));
  }
  SECTION("fifty ohm") { CHECK(find(outcome("Fifty ohm").before, "termination.mismatch")); }
  SECTION("swapped leads, and not taken for anything else") {
    const auto o = outcome("Swapped leads");
    CHECK(find(o.after, "wiring.swapped"));
    CHECK_FALSE(find(o.after, "factor.suspected"));
  }
  SECTION("probe too slow") {
    CHECK(find(outcome("Probe too slow").before, "bandwidth.limits_edge"));
    CHECK(find(outcome("Probe too slow", {"bandwidth.limits_edge"}).after, "bandwidth.limits_edge"));
  }
  SECTION("over a rating cannot be accepted away") {
    const auto o = outcome("Over rating", {"rating.near", "input.clipped"});
    REQUIRE(o.refused);
    CHECK_THAT(o.refused->message, Catch::Matchers::Contains("rating is 2.5 V"));
  }
  SECTION("a tone between lines without a window is doubted") {
    const auto taken = outcome("Tone between lines");
    CHECK_FALSE(taken.refused);
    CHECK(find(taken.after, "frequency.not_coherent"));
  }
  SECTION("a converter beyond its full scale is foreseen and found") {
    const auto taken = outcome("Converter beyond full scale");
    CHECK_FALSE(taken.refused);
    CHECK(find(taken.before, "input.clipped"));
    CHECK(find(taken.after, "input.clipped"));
  }
  SECTION("a level of full scale that nobody knows is refused, with what to say") {
    const auto refused = outcome("Full scale nobody knows");
    REQUIRE(refused.refused);
    CHECK_THAT(refused.refused->message, Catch::Matchers::Contains("set full_scale"));
  }
  SECTION("minutes long") { CHECK(find(outcome("Minutes long").before, "sweep.long")); }
  SECTION("offset not zeroed") {
    const auto o = outcome("Offset not zeroed");
    CHECK(find(o.before, "offset.uncorrected"));
    CHECK(find(o.after, "offset.uncorrected"));
  }
}

TEST_CASE("a remedy does away with its finding", "[preflight][practice]") {
  auto store = practice();
  const auto limits = bench_limits();
  const auto device = *run::read_device(store);
  const auto pins = device.pins();
  int carried_out = 0;
  for (const auto& name : demo::fault_names()) {
    if (store.find_study(name)->kind != "response") continue;
    auto plan = *response::plan_from_json(store.find_study(name)->plan);
    const auto check = [&](const response::Plan& p) {
      const auto levels = response::predict_levels(p, *device.foresight);
      return response::preflight(p, limits, device.ratings, levels ? &*levels : nullptr);
    };
    for (const auto& finding : check(plan)) {
      if (finding.edits.empty()) continue;
      auto mended = plan;
      for (const auto& [key, text] : finding.edits) {
        const auto next = response::apply(mended, key, text, pins);
        INFO(name << ": " << key << " = " << text);
        REQUIRE(next);
        mended = *next;
      }
      ++carried_out;
      INFO(name << ": " << finding.key);
      // The long sweep is shortened, not abolished.
      if (finding.key == "sweep.long")
        CHECK(response::sweep_time(mended, limits) < 0.5 * response::sweep_time(plan, limits));
      else
        for (const auto& left : check(mended)) CHECK_FALSE((left.key == finding.key && left.text == finding.text));
    }
  }
  CHECK(carried_out >= 5);
}

TEST_CASE("a zeroed sensor and a checked factor mend the hookup", "[preflight][practice]") {
  auto store = practice();
  auto plan = *response::plan_from_json(store.find_study("Offset not zeroed")->plan);
  auto& chain = plan.hookup.chains[1];
  const auto zero = run::read_zero(chain, "simulated");
  REQUIRE(zero);
  CHECK(std::abs(*zero) > 1e-3);
  chain.zero = *zero;
  std::vector<Doubt> found;
  check_hookup(plan.hookup, nullptr, bench_limits(), found);
  CHECK_FALSE(find(found, "offset.uncorrected"));

  // The planted probe shows itself to a known signal.
  const auto forgotten = response::plan_from_json(store.find_study("Forgotten x10")->plan)->hookup.chains[1];
  const auto known = run::read_known_signal(forgotten, "simulated");
  REQUIRE(known);
  CHECK(bench::check_factor(known->read, known->known, known->u).likely_factor == 0.1);
  for (const char* name : {"Direct lead", "Probe x1", "Probe x10", "Probe x100", "Differential probe x20",
                           "Differential probe x1", "Isolated probe x50", "Shunt 1 ohm", "Clamp 40 A"}) {
    bench::Chain sound{.name = "v", .input = {.pin = "preamp out", .sensor = *bench::find_stock_sensor(name)}};
    const auto read = run::read_known_signal(sound, "simulated");
    if (!read) FAIL(read.error().message);
    INFO(name << " reads " << read->read << " of " << read->known);
    CHECK(std::abs(read->read / read->known - 1) < 4 * read->u + 0.01);
  }
}

TEST_CASE("the preamp reads the same through probes, with more uncertainty", "[long][response][hookup]") {
  auto store = practice();
  auto direct = *store.find_study(demo::sound_study_name());
  auto plan = *response::plan_from_json(direct.plan);
  plan.level_pp = 0.1;
  plan.points_per_decade = 8;
  const auto figures = [&](const response::Plan& p) {
    auto study = direct;
    study.plan = response::to_json(p);
    const auto id = run::run_take(store, study, "simulated", 21, {}, {}, {});
    if (!id) FAIL(id.error().message);
    auto read = run::analyse_take(store, study, *store.take(*id));
    REQUIRE(read);
    return read->reading;
  };
  const auto leads = figures(plan);
  plan.hookup.chains[0].input.sensor = *bench::find_stock_sensor("Probe x10");
  plan.hookup.chains[1].input.sensor = *bench::find_stock_sensor("Differential probe x1");
  const auto probes = figures(plan);
  for (const char* key : {"corner.low", "corner.high", "gain.reference"}) {
    const auto *a = leads.find(key), *b = probes.find(key);
    REQUIRE(a);
    REQUIRE(b);
    INFO(key << " " << a->value << " and " << b->value << " +- " << *b->u);
    CHECK(std::abs(a->value - b->value) < 3 * std::hypot(*a->u, *b->u) + 2e-3 * std::abs(a->value));
  }
  CHECK(*probes.find("gain.reference")->u > *leads.find("gain.reference")->u);
  for (const auto& d : probes.doubts) {
    INFO(d.text);
    CHECK(d.severity == Severity::note);
  }
}

TEST_CASE("a response between computed quantities is that of the arithmetic", "[response][hookup]") {
  // The current through R6 over the stage's voltage: an admittance of 1/(R6 + 1/(jwC6)).
  auto store = practice();
  auto study = *store.find_study(demo::sound_study_name());
  auto plan = *response::plan_from_json(study.plan);
  plan.start = 1e3;
  plan.stop = 100e3;
  plan.level_pp = 0.1;
  auto stage = plan.hookup.chains[1];
  stage.name = "stage";
  stage.input.pin = "gain stage out";
  plan.hookup.chains.push_back(stage);
  plan.hookup.computed = {{"i_out", "A", "(stage - response)/R6"}};
  plan.response = "i_out";
  plan.stimulus = "stage";
  study.plan = response::to_json(plan);
  const auto id = run::run_take(store, study, "simulated", 5, {}, {}, {});
  if (!id) FAIL(id.error().message);
  const auto curve = response::reduce_take(*store.points(*id));
  REQUIRE(curve);
  // Parts as this unit has them: their tolerances bound how far it may be off.
  for (const auto& p : curve->points) {
    const std::complex<double> y =
        1.0 / (1.6e3 + 1.0 / std::complex<double>(0, 2 * std::numbers::pi * p.frequency * 4.715e-9));
    CHECK(p.gain_db == Approx(20 * std::log10(std::abs(y))).margin(0.6));
  }
}

TEST_CASE("predicted levels are those of the circuit", "[preflight]") {
  const auto circuit = sim::read_circuit(
      "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n[branches]\n\"i\" = \"R1.a\"\n[ratings]\n\"i\" = { current = \"1 "
      "A\" }\n"
      "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"out\"]\nvalue = \"950 ohm\"\n"
      "[part.C1]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"100 nF\"\n",
      "c.toml");
  REQUIRE(circuit);
  bench::Chain out{.name = "out", .input = {.pin = "out", .sensor = *bench::find_stock_sensor("Probe x10")}};
  const double corner = 1 / (2 * std::numbers::pi * 1e3 * 100e-9);
  const auto levels = sim::predict_levels(*circuit, {.pin = "in", .peak_to_peak = 4, .offset = 1}, {out},
                                          {corner / 100, corner, corner * 10});
  REQUIRE(levels);
  const auto& q = levels->quantities.at("out");
  CHECK(q.dc == Approx(1).epsilon(1e-3));
  CHECK(q.peak == Approx(2).epsilon(1e-3));
  CHECK(q.peaks[1] == Approx(2 / std::sqrt(2)).epsilon(2e-3));
  CHECK(q.at_frequency == Approx(corner / 100));
  CHECK(levels->branches.at("i").peaks[2] == Approx(2 / 1e3 * 10 / std::sqrt(101)).epsilon(3e-3));
  CHECK(levels->pins.at("in").peak == Approx(2).epsilon(1e-3));
}

TEST_CASE("both pins of a differential probe are held against what it bears above ground", "[preflight]") {
  bench::Hookup hookup{
      .chains = {
          {.name = "v1",
           .input = {.pin = "high", .against = "low", .sensor = *bench::find_stock_sensor("Differential probe x1")}}}};
  bench::Levels levels;
  levels.quantities["v1"] = {.peak = 0.5};
  levels.pins["high"] = {.peak = 0.5, .dc = 30};
  levels.pins["low"] = {.dc = 30};
  std::vector<Doubt> found;
  check_hookup(hookup, &levels, bench_limits(), found);
  CHECK_FALSE(find(found, "rating.near"));
  levels.pins["low"].dc = 45;
  check_hookup(hookup, &levels, bench_limits(), found);
  REQUIRE(find(found, "rating.near"));
  CHECK_THAT(find(found, "rating.near")->text, Catch::Matchers::Contains("low stands up to 45 V above ground"));
}

TEST_CASE("a rated branch and a rated time forbid what goes beyond", "[preflight]") {
  bench::Levels levels;
  levels.branches["motor current"] = {.peak = 4, .dc = 2};
  levels.pins["motor"] = {.peak = 1};
  device::Ratings ratings = {{"motor current", {.current = 5, .duration = 2}}, {"motor", {.voltage = 10}}};
  std::vector<Doubt> found;
  check_ratings(ratings, levels, 1, found);
  REQUIRE(found.size() == 1);
  CHECK(found.front().severity == Severity::serious);
  CHECK_THAT(found.front().text, Catch::Matchers::Contains("6 A peak; its rating is 5 A"));
  CHECK(refusal(found, {"rating.near"}));
  found.clear();
  ratings["motor current"].current = 7;
  check_ratings(ratings, levels, 5, found);
  CHECK(found.size() == 2);  // 86 % of the current, and too long
}
