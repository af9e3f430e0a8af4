#include <catch2/catch.hpp>
#include <functional>
#include <random>

#include "run/ledger.h"
#include "run/take.h"
#include "iv_support.h"
#include "sim/simulated_bench.h"
#include "study/iv/brief.h"
#include "study/iv/diode.h"
#include "study/iv/figures.h"
#include "study/iv/kind.h"
#include "study/iv/loop.h"
#include "study/iv/preflight.h"
#include "study/iv/reduce.h"
#include "study/iv/runner.h"
#include "study/iv/start_small.h"
#include "support.h"

using namespace heron;
using namespace heron::study;

namespace {

struct Rows {
  std::vector<double> voltage, current, step;

  void add(double v, double i) {
    voltage.push_back(v);
    current.push_back(i);
  }
  void add(double v, double i, double s) {
    add(v, i);
    step.push_back(s);
  }
  std::vector<Point> points() const {
    Record table;
    table.channels.push_back({.role = "voltage", .unit = "V", .pin = "", .counts = {}, .scale = 1, .numbers = voltage});
    table.channels.push_back({.role = "current", .unit = "A", .pin = "", .counts = {}, .scale = 1, .numbers = current});
    if (!step.empty())
      table.channels.push_back({.role = "step", .unit = "", .pin = "", .counts = {}, .scale = 1, .numbers = step});
    return {{.index = 0, .setting = nlohmann::json::object(), .records = {table}}};
  }
};

Reading reading_of(const Rows& rows, const SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  const auto analysis = iv::kind().analyse(rows.points(), settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

double value(const Reading& reading, const std::string& key) {
  const auto* f = reading.find(key);
  if (!f) {
    for (const auto& a : reading.absent)
      if (a.key == key) FAIL(key << " is absent: " << a.reason);
    FAIL("no figure " << key);
  }
  return f->value;
}

std::string why_absent(const Reading& reading, const std::string& key) {
  for (const auto& a : reading.absent)
    if (a.key == key) return a.reason;
  FAIL(key << " is not absent");
  return "";
}

bool has_doubt(const Reading& reading, std::string_view key) {
  return std::any_of(reading.doubts.begin(), reading.doubts.end(), [&](const Doubt& d) { return d.key == key; });
}

/// The root of a function that falls or rises through zero between two places, to the last bit.
double root(const std::function<double(double)>& f, double low, double high) {
  const bool rising = f(high) > 0;
  for (int k = 0; k < 200; ++k) {
    const double middle = (low + high) / 2;
    ((f(middle) > 0) == rising ? high : low) = middle;
  }
  return (low + high) / 2;
}

/// A cell's load current at a voltage, negative where it gives power: photocurrent, junction, series and shunt.
double cell_current(double v, double photo) {
  const double vt = 1.3 * iv::thermal_voltage(300.15), is = 2e-9, rs = 0.4, rp = 900;
  return root(
      [&](double i) {
        const double across = v - i * rs;
        return is * std::expm1(across / vt) + across / rp - photo - i;
      },
      -2 * photo - 1, (v + 1) / rs);
}

constexpr double kVt = 1.380649e-23 * 300.15 / 1.602176634e-19;

constexpr const char* kJunction = R"(
[pins]
anode = "anode"
[ratings]
anode = { voltage = "5 V", current = "50 mA" }
[part.D1]
kind = "diode"
anode = "anode"
cathode = "ground"
saturation_current = "2 pA"
ideality = 1.4
series_resistance = "1.5 ohm"
)";

iv::Plan junction_plan() {
  return {.sources = {{.name = "anode",
                       .pin = "anode",
                       .role = iv::Role::swept,
                       .force = bench::Force::current,
                       .values = {.start = 10e-9, .stop = 10e-3, .points = 61, .spacing = iv::Spacing::logarithmic},
                       .compliance = 2}}};
}

}  // namespace

TEST_CASE("a diode's parameters come back from six decades with noise", "[iv]") {
  const double n = 1.83, is = 3e-13, rs = 2.4;
  double worst_n = 0, worst_is = 0;
  for (unsigned seed = 1; seed <= 20; ++seed) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal;
    Rows rows;
    for (int k = 0; k <= 60; ++k) {
      const double i = 1e-8 * std::pow(10, k / 10.0);
      rows.add((n * kVt * std::log1p(i / is) + i * rs) + 50e-6 * normal(random), i * (1 + 5e-4 * normal(random)));
    }
    const auto reading = reading_of(rows);
    worst_n = std::max(worst_n, std::abs(value(reading, "diode.ideality") / n - 1));
    worst_is = std::max(worst_is, std::abs(value(reading, "diode.saturation_current") / is - 1));
    CHECK(value(reading, "diode.series_resistance") == Approx(rs).epsilon(0.05));
  }
  CHECK(worst_n < 0.005);
  CHECK(worst_is < 0.05);
}

TEST_CASE("the junction's temperature is a setting, and a resistor is no diode", "[iv]") {
  Rows warm, ohms;
  for (int k = 0; k <= 40; ++k) {
    const double i = 1e-9 * std::pow(10, k / 8.0);
    warm.add(1.2 * iv::thermal_voltage(350) * std::log1p(i / 1e-14), i);
    ohms.add(0.05 * k, 0.05 * k / 220);
  }
  CHECK(value(reading_of(warm, {{"temperature", "350 K"}}), "diode.ideality") == Approx(1.2).epsilon(1e-4));
  CHECK(why_absent(reading_of(ohms), "diode.ideality").find("line") != std::string::npos);
  CHECK(why_absent(reading_of(ohms), "diode.saturation_current").find("line") != std::string::npos);
}

TEST_CASE("a limit that held is left out of the fit and said", "[iv]") {
  Rows rows;
  for (int k = 0; k <= 80; ++k) {
    const double v = 0.3 + 0.01 * k;
    rows.add(v, std::min(10e-3, 1e-12 * std::exp(v / (1.5 * kVt))));
  }
  const auto reading = reading_of(rows);
  CHECK(value(reading, "diode.ideality") == Approx(1.5).epsilon(1e-3));
  CHECK(has_doubt(reading, "compliance.reached"));
}

TEST_CASE("currents and voltages between points follow the junction's exponential", "[iv]") {
  Rows rows;
  for (int k = 0; k <= 40; ++k) rows.add(0.4 + 0.01 * k, 1e-12 * std::exp((0.4 + 0.01 * k) / kVt));
  const auto reading = reading_of(rows, {}, {"current@0.555V", "voltage@1mA", "resistance.dynamic@1mA", "current@2V"});
  CHECK(value(reading, "current@0.555V") == Approx(1e-12 * std::exp(0.555 / kVt)).epsilon(1e-6));
  CHECK(value(reading, "voltage@1mA") == Approx(kVt * std::log(1e9)).epsilon(1e-6));
  CHECK(value(reading, "resistance.dynamic@1mA") == Approx(kVt / 1e-3).epsilon(1e-4));
  CHECK(why_absent(reading, "current@2V").find("outside") != std::string::npos);
}

TEST_CASE("a solar cell is read in either sign of its current", "[iv]") {
  // The truth from a grid four hundred times as fine.
  const double photo = 0.2;
  const double voc = root([&](double v) { return cell_current(v, photo); }, 0, 2), isc = -cell_current(0, photo);
  double pmp = 0, vmp = 0;
  for (int k = 0; k <= 20000; ++k) {
    const double v = voc * k / 20000, p = -v * cell_current(v, photo);
    if (p > pmp) {
      pmp = p;
      vmp = v;
    }
  }
  for (const double sign : {1.0, -1.0}) {
    Rows rows;
    for (int k = 0; k <= 50; ++k) rows.add(-0.05 + 0.75 * k / 50, sign * cell_current(-0.05 + 0.75 * k / 50, photo));
    const auto reading = reading_of(rows);
    CHECK(value(reading, "pv.isc") == Approx(isc).epsilon(1e-4));
    CHECK(value(reading, "pv.voc") == Approx(voc).epsilon(1e-3));
    CHECK(value(reading, "pv.pmp") == Approx(pmp).epsilon(2e-3));
    CHECK(value(reading, "pv.vmp") == Approx(vmp).epsilon(0.01));
    CHECK(value(reading, "pv.imp") == Approx(pmp / vmp).epsilon(0.01));
    CHECK(value(reading, "pv.fill_factor") == Approx(pmp / (voc * isc)).epsilon(3e-3));
  }
  Rows short_sweep, dark;
  for (int k = 0; k <= 20; ++k) {
    short_sweep.add(0.02 * k, cell_current(0.02 * k, photo));
    dark.add(0.02 * k, 1e-9 * std::expm1(0.02 * k / kVt));
  }
  CHECK(why_absent(reading_of(short_sweep), "pv.voc").find("open circuit") != std::string::npos);
  CHECK(why_absent(reading_of(dark), "pv.pmp").find("no power") != std::string::npos);
}

TEST_CASE("a transistor's family gives its gain and Early voltage", "[iv]") {
  Rows rows;
  const double early = 64;
  for (const double ib : {0.0, 10e-6, 20e-6, 30e-6})
    for (int k = 0; k <= 50; ++k) {
      const double v = 0.1 * k, i = 180 * ib * (1 + v / early) * std::tanh(v / 0.1);
      rows.add(v, i, ib);
    }
  const auto reading =
      reading_of(rows, {},
                 {"gain.current@3V,20uA", "gain.current@3V,15uA", "gain.current@3V,50uA", "current@3V,20uA",
                  "current@3V", "conductance.output@4V,20uA", "gain.current@3V,0A"});
  CHECK(value(reading, "early_voltage") == Approx(early).epsilon(0.03));
  CHECK(value(reading, "gain.current@3V,20uA") == Approx(180 * (1 + 3 / early)).epsilon(1e-6));
  CHECK(value(reading, "gain.current@3V,15uA") == Approx(180 * (1 + 3 / early)).epsilon(1e-6));
  CHECK(value(reading, "current@3V,20uA") == Approx(180 * 20e-6 * (1 + 3 / early)).epsilon(1e-6));
  CHECK(value(reading, "conductance.output@4V,20uA") == Approx(180 * 20e-6 / early).epsilon(1e-3));
  CHECK(why_absent(reading, "gain.current@3V,50uA").find("outside") != std::string::npos);
  CHECK(why_absent(reading, "gain.current@3V,0A").find("no current") != std::string::npos);
  CHECK(why_absent(reading, "current@3V").find("4 curves") != std::string::npos);
}

TEST_CASE("a transistor's threshold, transconductance, knee and on resistance", "[iv]") {
  const double vth = 1.35, k = 0.08;
  const auto drain = [&](double vg, double vd) {
    const double over = vg - vth;
    if (over <= 0) return 1e-12;
    return vd < over ? k * (over * vd - vd * vd / 2) : k * over * over / 2;
  };
  Rows linear, square, output;
  for (int n = 0; n <= 100; ++n) {
    linear.add(0.04 * n, drain(0.04 * n, 0.1), 0.1);
    square.add(0.04 * n, std::sqrt(drain(0.04 * n, 10)) * 0.1, 10);  // a law that is a line beyond its threshold
  }
  const auto a = reading_of(linear, {{"axis", "transfer"}, {"threshold_current", "1 mA"}});
  CHECK(std::abs(value(a, "threshold.extrapolated") - vth) < 0.01);
  CHECK(value(a, "transconductance.max") == Approx(k * 0.1).epsilon(0.01));
  CHECK(std::abs(value(a, "threshold.constant") - (vth + 1e-3 / (k * 0.1) + 0.05)) < 0.002);
  const auto b = reading_of(square, {{"axis", "transfer"}});
  CHECK(std::abs(value(b, "threshold.extrapolated") - vth) < 0.02);
  CHECK(why_absent(b, "threshold.constant").find("threshold_current") != std::string::npos);
  linear.step.clear();
  CHECK(why_absent(reading_of(linear, {{"axis", "transfer"}}), "threshold.extrapolated").find("drain_voltage") !=
        std::string::npos);
  CHECK(std::abs(
            value(reading_of(linear, {{"axis", "transfer"}, {"drain_voltage", "100 mV"}}), "threshold.extrapolated") -
            vth) < 0.01);

  for (const double vg : {2.0, 3.0})
    for (int n = 0; n <= 400; ++n) output.add(0.02 * n, drain(vg, 0.02 * n), vg);
  const auto c = reading_of(output, {}, {"resistance.on@3V", "resistance.on@2.5V"});
  // Through zero over the lowest tenth, 0.8 V of the span: the law itself fitted so.
  double vi = 0, ii = 0;
  for (int n = 0; n <= 40; ++n) {
    vi += 0.02 * n * drain(3, 0.02 * n);
    ii += std::pow(drain(3, 0.02 * n), 2);
  }
  CHECK(value(c, "resistance.on@3V") == Approx(vi / ii).epsilon(1e-9));
  CHECK(why_absent(c, "resistance.on@2.5V").find("no curve") != std::string::npos);
  Rows bent;
  for (int n = 0; n <= 100; ++n) bent.add(0.1 * n, std::min(0.1 * n * 2e-3, 3e-3 + 1e-5 * (0.1 * n - 1.5)));
  CHECK(value(reading_of(bent), "knee.voltage") == Approx((3e-3 - 1.5e-5) / (2e-3 - 1e-5)).epsilon(1e-6));
}

TEST_CASE("the loop of a resistance beside a capacitance is that of the closed form", "[iv]") {
  const double r = 1e3, c = 2e-6, rate = 20, top = 2;
  Rows rows, twice;
  const auto sweep = [&](Rows& into, bool rising) {
    for (int k = 0; k <= 100; ++k) {
      const double v = rising ? -top + 2 * top * k / 100 : top - 2 * top * k / 100;
      into.add(v, v / r + (rising ? 1 : -1) * c * rate);
    }
  };
  sweep(rows, true);
  sweep(rows, false);
  const auto reading = reading_of(rows);
  CHECK(value(reading, "loop.opening") == Approx(2 * c * rate / (top / r + c * rate)).epsilon(0.01));
  CHECK(value(reading, "loop.area") == Approx(2 * c * rate * 2 * top).epsilon(0.01));
  CHECK(has_doubt(reading, "loop.open"));
  CHECK_FALSE(has_doubt(reading_of(rows, {{"loop_threshold", "10"}}), "loop.open"));
  for (int k = 0; k < 3; ++k) {
    sweep(twice, true);
    sweep(twice, false);
  }
  CHECK(value(reading_of(twice), "loop.area") == Approx(2 * c * rate * 2 * top).epsilon(0.01));

  // A table has no clock, so its loop has no rate.
  CHECK(iv::widest_loop(*iv::reduce_take(rows.points()))->rate == 0);

  // Noise makes no turns.
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  Rows noisy;
  for (int k = 0; k <= 400; ++k) noisy.add(0.01 * k + 0.01 * normal(random), 0.01 * k / r);
  CHECK(why_absent(reading_of(noisy), "loop.opening").find("one way") != std::string::npos);
}

TEST_CASE("tables that make no sense are refused or read as far as they go", "[iv]") {
  const auto refused = [](const Rows& rows) { return !iv::kind().analyse(rows.points(), {}, {}); };
  CHECK(!iv::kind().analyse({}, {}, {}));
  CHECK(refused({{std::nan(""), 1}, {1, 2}, {}}));
  CHECK(refused({{0, 1}, {1, INFINITY}, {}}));
  CHECK(refused({{0, 1, 2}, {1, 2}, {}}));
  // One point, no span, one value of the step, all at one current.
  CHECK(reading_of({{1}, {2}, {}}).figures.empty());
  CHECK(reading_of({{1, 1, 1}, {2, 2.1, 2.2}, {}}).find("loop.opening") == nullptr);
  const auto one_step = reading_of({{0, 1, 2, 3}, {0, 1e-3, 2e-3, 3e-3}, {5, 5, 5, 5}}, {}, {"current@1.5V"});
  CHECK(value(one_step, "current@1.5V") == Approx(1.5e-3));
  Rows flat;
  for (int k = 0; k < 20; ++k) flat.add(k, 1e-3);
  const auto held = reading_of(flat);
  CHECK(has_doubt(held, "compliance.reached"));
  CHECK(held.find("diode.ideality") == nullptr);
  for (const auto& f : held.figures) CHECK(std::isfinite(f.value));

  for (const char* bad :
       {"current", "current@", "current@1V,2,3", "zebra", "gain.current@3V", "current@x", "pv.pmp@a,b"}) {
    INFO(bad);
    const auto ok = iv::kind().check_figure(bad);
    REQUIRE_FALSE(ok);
    CHECK(ok.error().fault == Fault::usage);
  }
  for (const char* good : {"current@2V", "current@2V,20uA", "pv.pmp", "pv.pmp@800", "knee.voltage@5V"})
    CHECK(iv::kind().check_figure(good));
  CHECK_FALSE(iv::kind().check_setting("axis", "sideways"));
  CHECK_FALSE(iv::kind().check_setting("temperature", "-3 K"));
  CHECK_FALSE(iv::kind().check_setting("colour", "blue"));
  CHECK(iv::kind().check_setting("from", "-0.5 V"));
}

TEST_CASE("a junction taken by a source-measure channel gives its parameters with their uncertainty", "[iv][bench]") {
  double worst_n = 0, worst_is = 0;
  int outside = 0, figures = 0;
  for (std::uint64_t seed = 1; seed <= 12; ++seed) {
    const auto analysis =
        iv::kind().analyse(taken(junction_plan(), kJunction, seed), {{"temperature", "298.15 K"}}, {});
    if (!analysis) FAIL(analysis.error().message);
    const auto& r = analysis->reading;
    const auto *n = r.find("diode.ideality"), *is = r.find("diode.saturation_current");
    REQUIRE(n);
    REQUIRE(is);
    REQUIRE((n->u && is->u));
    worst_n = std::max(worst_n, std::abs(n->value / 1.4 - 1));
    worst_is = std::max(worst_is, std::abs(is->value / 2e-12 - 1));
    for (const auto& [f, truth] : {std::pair{n, 1.4}, {is, 2e-12}}) {
      outside += std::abs(f->value - truth) > 2 * *f->u;
      ++figures;
    }
    for (const auto& d : r.doubts) CHECK(d.severity == study::Severity::note);
  }
  CHECK(worst_n < 0.005);
  CHECK(worst_is < 0.05);
  // About one in twenty lies beyond 2 u; six of 24 would mean that u is far too small.
  CHECK(outside < 6);
}

TEST_CASE("compliance holds while a capacitance charges, is flagged, and stays out of figures", "[iv][bench]") {
  constexpr const char* kCircuit = R"(
[pins]
top = "top"
[part.R1]
kind = "resistor"
between = ["top", "ground"]
value = "1 kohm"
[part.C1]
kind = "capacitor"
between = ["top", "ground"]
value = "100 uF"
)";
  iv::Plan plan{.sources = {{.name = "top",
                             .pin = "top",
                             .role = iv::Role::swept,
                             .values = {.start = 0, .stop = 10, .points = 11},
                             .compliance = 5e-3}},
                .delay = 0,
                .aperture = 1e-3};
  const auto family = iv::reduce_take(taken(plan, kCircuit));
  REQUIRE(family);
  for (const auto& p : family->curves[0].points) CHECK(std::abs(p.current) < 5e-3 * 1.01);
  CHECK(std::count_if(family->curves[0].points.begin(), family->curves[0].points.end(),
                      [](const auto& p) { return p.at_compliance; }) > 5);
  plan.delay = 2;
  const auto analysis = iv::kind().analyse(taken(plan, kCircuit), {}, {"resistance.dynamic@2mA"});
  REQUIRE(analysis);
  // Up to 5 V the resistor alone; above, the source's limit.
  CHECK(has_doubt(analysis->reading, "compliance.reached"));
  const auto* r = analysis->reading.find("resistance.dynamic@2mA");
  REQUIRE(r);
  CHECK(std::abs(r->value - 1e3) < 3 * *r->u);
  CHECK(*r->u < 1);
}

TEST_CASE("a run that is stopped, fails or ends leaves nothing driven", "[iv][bench]") {
  sim::SimulatedBench bench(*sim::read_circuit(kJunction, "circuit"), 1);
  std::stop_source stop;
  int kept = 0;
  const auto stopped = iv::run(
      junction_plan(), bench,
      [&](const Point&) -> Result<void> {
        if (++kept == 7) stop.request_stop();
        return {};
      },
      {}, stop.get_token());
  REQUIRE_FALSE(stopped);
  CHECK(stopped.error().fault == Fault::stopped);
  CHECK(kept == 7);
  CHECK_FALSE(bench.measure(0, 0, 1e-3, {}));
  const auto failed = iv::run(junction_plan(), bench,
                              [](const Point&) -> Result<void> { return fail(Fault::input, "disk full"); }, {}, {});
  CHECK_FALSE(failed);
  CHECK_FALSE(bench.measure(0, 0, 1e-3, {}));

  auto above = junction_plan();
  above.sources[0].values.stop = 80e-3;
  CHECK_FALSE(iv::run(above, bench, [](const Point&) -> Result<void> { return {}; }, {}, {}));
  const auto circuit = *sim::read_circuit(kJunction, "circuit");
  const auto serious = [&](const iv::Plan& p) {
    for (const auto& d : iv::preflight(p, bench.limits(), circuit.ratings))
      if (d.severity == Severity::serious) return d.key;
    return std::string();
  };
  CHECK(serious(above) == "rating.near");
  CHECK(serious(junction_plan()).empty());
  // Each remedy carried out makes the finding go away, whichever end it is that goes too far.
  auto below = junction_plan();
  below.sources[0].force = bench::Force::voltage;
  below.sources[0].values = {.start = -9, .stop = 1, .points = 11};
  below.sources[0].compliance = 80e-3;
  for (auto p : {above, below}) {
    CHECK(serious(p) == "rating.near");
    for (const auto& d : iv::preflight(p, bench.limits(), circuit.ratings))
      for (const auto& [key, text] : d.edits) {
        const auto mended = iv::apply(p, key, text, {"anode"});
        if (!mended) FAIL(mended.error().message);
        p = *mended;
      }
    CHECK(serious(p).empty());
  }
}

TEST_CASE("an unknown device's compliance is raised from far below until it suffices", "[iv][bench]") {
  auto plan = junction_plan();
  plan.sources[0].force = bench::Force::voltage;
  plan.sources[0].values = {.start = 0, .stop = 0.5, .points = 11};
  plan.sources[0].compliance = 50e-3;
  sim::SimulatedBench bench(*sim::read_circuit(kJunction, "circuit"), 1);
  const auto raised = iv::start_small(plan, bench, {}, {});
  if (!raised) FAIL(raised.error().message);
  CHECK(raised->end == iv::Raised::End::sufficed);
  CHECK(raised->tried.front().first == Approx(50e-3 / 128));
  // 0.5 V over 1.4 thermal voltages of 2 pA: about 2 uA.
  CHECK(raised->compliance == Approx(50e-3 / 128));
  plan.sources[0].values.stop = 1.2;
  const auto more = iv::start_small(plan, bench, {}, {});
  REQUIRE(more);
  CHECK(more->end == iv::Raised::End::allowed);
  CHECK(more->compliance == Approx(50e-3));
  CHECK(more->tried.size() == 8);
  // A rating of the pin ends it before what the brief allows.
  const auto rated = iv::start_small(plan, bench, {{"anode", {.voltage = 5, .current = 10e-3}}}, {});
  REQUIRE(rated);
  CHECK(rated->end == iv::Raised::End::rating);
  CHECK(rated->compliance == Approx(8e-3));
  CHECK(iv::raised_text(*rated, plan.sources[0]).find("rating") != std::string::npos);
  CHECK_FALSE(bench.measure(0, 0, 1e-3, {}));
}

TEST_CASE("plans of current and voltage are checked as a whole and come back from the dossier", "[iv]") {
  auto plan = junction_plan();
  plan.sources.push_back({.name = "gate",
                          .pin = "gate",
                          .role = iv::Role::stepped,
                          .values = {.spacing = iv::Spacing::listed, .listed = {1, 2, 5}},
                          .compliance = 1e-3,
                          .current_range = 1e-3});
  plan.course = iv::Course::both;
  plan.cycles = 2;
  const auto again = iv::plan_from_json(iv::to_json(plan));
  if (!again) FAIL(again.error().message);
  CHECK(iv::to_json(*again) == iv::to_json(plan));
  const auto steps = iv::steps_of(plan);
  // There and back without driving a turn twice: 61 + 60, then 60 + 60, for each of three curves.
  CHECK(steps.size() == 3 * 241);
  CHECK(steps[0].value == Approx(10e-9));
  CHECK(steps[60].value == Approx(10e-3));
  CHECK(steps[120].value == Approx(10e-9));
  CHECK(steps[241].step == 2.0);
  const auto bad = [&](auto change) {
    auto p = plan;
    change(p);
    return !iv::check(p);
  };
  CHECK(bad([](auto& p) { p.sources[1].role = iv::Role::swept; }));
  CHECK(bad([](auto& p) { p.sources[0].role = iv::Role::constant; }));
  CHECK(bad([](auto& p) { p.sources[0].values.start = -1e-9; }));
  CHECK(bad([](auto& p) { p.sources[0].values.stop = p.sources[0].values.start; }));
  CHECK(bad([](auto& p) { p.sources[0].values.points = 1; }));
  CHECK(bad([](auto& p) { p.sources[1].values.listed.clear(); }));
  CHECK(bad([](auto& p) { p.sources[1].pin = "anode"; }));
  CHECK(bad([](auto& p) { p.sources[1].name = "anode"; }));
  CHECK(bad([](auto& p) { p.sources[0].compliance = 0; }));
  CHECK(bad([](auto& p) { p.sensed = "nobody"; }));
  CHECK(bad([](auto& p) { p.aperture = 0; }));
  CHECK(bad([](auto& p) { p.cycles = 0; }));
  CHECK_FALSE(iv::plan_from_json(nlohmann::json::object()));
  CHECK_FALSE(iv::plan_from_json({{"sources", "none"}}));
}

TEST_CASE("a study of current and voltage is taken into a dossier, read and judged", "[iv][dossier]") {
  const test::Folder folder;
  auto store = std::move(*dossier::Store::create(folder.file("x.heron")));
  REQUIRE(store.set_device({"Mudlark buoy", "clamp", kJunction}));
  const auto id = store.add_study({.name = "Forward",
                                   .kind = "iv",
                                   .plan = iv::to_json(junction_plan()),
                                   .settings = {{"temperature", "298.15 K"}},
                                   .wake = {}});
  REQUIRE(id);
  judge::Claim claim{.text = "Ideality at most 1.5", .figure = "diode.ideality", .upper = "1.5"};
  REQUIRE(store.add_claim(*id, claim));
  claim = {.text = "Forward voltage at 1 mA at most 0.6 V", .figure = "voltage@1mA", .upper = "0.6 V"};
  REQUIRE(store.add_claim(*id, claim));
  const auto study = *store.find_study("Forward");
  const auto take = run::run_take(store, study, "simulated", 3, {}, {}, {});
  if (!take) FAIL(take.error().message);
  CHECK(store.take(*take)->points == 61);
  const auto lines = run::ledger(store);
  REQUIRE(lines);
  REQUIRE(lines->size() == 2);
  CHECK((*lines)[0].judgement.verdict == judge::Verdict::meets);
  // n Vt ln(1 + I/Is) + I Rs = 0.7223 V.
  CHECK((*lines)[1].judgement.verdict == judge::Verdict::fails);
  CHECK(*(*lines)[1].judgement.value ==
        Approx(1.4 * iv::thermal_voltage(298.15) * std::log1p(1e-3 / 2e-12) + 1.5e-3).epsilon(1e-3));
}

TEST_CASE("a loop that closes with slowing is told from one that does not", "[iv]") {
  using iv::Closing;
  CHECK(iv::closing_of({}, 0.02) == Closing::open);
  const std::vector<iv::Pass> capacitance = {{10, 0.4, 4e-3}, {2.5, 0.14, 1e-3}, {0.6, 0.04, 3e-4}, {0.15, 0.01, 6e-5}},
                              memory = {{10, 0.3, 3e-3}, {2.5, 0.28, 2.8e-3}}, one = {{10, 0.3, 3e-3}},
                              nearly_all = {{100, 1.9, 40e-3}, {25, 1.8, 10e-3}},
                              warming = {{3, 0.03, 30e-6}, {0.8, 0.08, 80e-6}};
  CHECK(iv::closing_of(std::span(capacitance).first(2), 0.02) == Closing::open);
  CHECK(iv::closing_of(capacitance, 0.02) == Closing::closes);
  CHECK(iv::closing_of(memory, 0.02) == Closing::persists);
  CHECK(iv::closing_of(one, 0.02) == Closing::open);
  // Where the capacitance is nearly all, its share hardly falls; its current does.
  CHECK(iv::closing_of(nearly_all, 0.02) == Closing::open);
  CHECK(iv::closing_of(warming, 0.02) == Closing::persists);
  CHECK(iv::closing_text(capacitance, 0.02).find("capacitance") != std::string::npos);
  CHECK(iv::closing_text(memory, 0.02).find("self-heating") != std::string::npos);
}

TEST_CASE("the words of a brief set what they say and refuse what makes no sense", "[iv]") {
  const std::vector<std::string> pins = {"anode", "gate", "drain"};
  const auto plan = junction_plan();
  const auto with = [&](const iv::Plan& p, const char* key, const char* text) {
    const auto changed = iv::apply(p, key, text, pins);
    if (!changed) FAIL(key << ": " << changed.error().message);
    return *changed;
  };
  auto p = with(plan, "source.anode.stop", "5m");
  CHECK(p.sources[0].values.stop == Approx(5e-3));
  p = with(p, "source.anode.points", "10 per decade");
  CHECK(p.sources[0].values.points == 58);
  p = with(p, "source.anode.spacing", "1 uA, 10 uA, 1 mA");
  REQUIRE(list_of(p.sources[0].values).size() == 3);
  CHECK(list_of(p.sources[0].values)[0] == Approx(1e-6));
  CHECK(list_of(p.sources[0].values)[2] == Approx(1e-3));
  p = with(p, "source.anode.force", "voltage");
  CHECK(p.sources[0].compliance == Approx(1e-3));
  p = with(p, "source.anode.points", "100 mV steps");
  CHECK(p.sources[0].values.points == 11);
  p = with(p, "add", "gate");
  REQUIRE(p.sources.size() == 2);
  CHECK(p.sources[1].role == iv::Role::stepped);
  p = with(p, "source.gate.role", "swept");
  CHECK(p.sources[0].role == iv::Role::stepped);
  p = with(p, "source.gate.role", "off");
  REQUIRE(p.sources.size() == 1);
  CHECK(p.swept());
  p = with(p, "course", "there and back");
  p = with(p, "cycles", "3 times");
  p = with(p, "aperture", "2 mains periods");
  CHECK(p.aperture == Approx(0.04));
  p = with(p, "source.anode.range", "automatic above 1 uA");
  CHECK(p.sources[0].lowest_range == Approx(1e-6));
  std::string sentence;
  for (const auto& piece : iv::brief(p)) sentence += piece.text + " ";
  CHECK(sentence.find("there and back 3 times") != std::string::npos);
  CHECK(sentence.find("2 mains periods") != std::string::npos);
  const sim::SimulatedBench bench(*sim::read_circuit(kJunction, "circuit"), 1);
  for (const auto& piece : iv::brief(p)) {
    if (piece.key.empty() || piece.key == "add") continue;
    INFO(piece.key << " = " << piece.text);
    // Every word reads back as it is written, and says what it is.
    const auto again = iv::apply(p, piece.key, piece.text, pins);
    if (!again) FAIL(again.error().message);
    CHECK(iv::to_json(*again) == iv::to_json(p));
    CHECK_FALSE(iv::hint(p, piece.key, bench.limits(), pins).label.empty());
  }
  for (const auto& [key, text] : {std::pair{"source.anode.stop", "zebra"},
                                  {"source.anode.stop", "5 Hz"},
                                  {"source.anode.points", "1"},
                                  {"source.anode.compliance", "0 A"},
                                  {"source.nobody.stop", "1 V"},
                                  {"source.anode.pin", "nowhere"},
                                  {"course", "sideways"},
                                  {"source.anode.role", "off"},
                                  {"add", "nowhere"},
                                  {"colour", "blue"},
                                  {"sensed", "nobody"},
                                  {"aperture", "0 s"}}) {
    INFO(key << " = " << text);
    CHECK_FALSE(iv::apply(p, key, text, pins));
  }
}
