#include <catch2/catch.hpp>
#include <cmath>

#include "switching_support.h"

using namespace heron;

/// Events of straight lines: every value of theirs stands in closed form.
namespace switching_edges {
namespace {

using study::switching::Core;
using study::switching::Edge;
using study::switching::Event;
using study::switching::Key;
using study::switching::Samples;
using study::switching::Windows;

using test::Corners;
using test::kNano;
using test::on_line;

/// Times in ns: one sample a nanosecond, or `each`.
Samples samples(const Corners& c, double each = 1) {
  Samples out;
  for (double t = c.front().first; t <= c.back().first + 1e-9; t += each) {
    out.t.push_back(t * kNano);
    out.y.push_back(on_line(c, t));
  }
  return out;
}

/// Of a product of two such lines, by Simpson between their corners, which is exact; J.
double energy(const Corners& v, const Corners& i, double from, double to) {
  std::vector<double> at = {from, to};
  for (const auto* c : {&v, &i})
    for (const auto& [t, y] : *c)
      if (t > from && t < to) at.push_back(t);
  std::sort(at.begin(), at.end());
  double out = 0;
  for (std::size_t k = 1; k < at.size(); ++k) {
    const double a = at[k - 1], b = at[k], m = (a + b) / 2;
    out += (b - a) / 6 * (on_line(v, a) * on_line(i, a) + 4 * on_line(v, m) * on_line(i, m) + on_line(v, b) * on_line(i, b));
  }
  return out * kNano;
}

Core core_of(const Corners& v, const Corners& i) {
  Core out{.from = v.front().first * kNano, .to = v.back().first * kNano, .v = samples(v), .i = samples(i), .g = {}, .v_f = {}, .i_f = {}};
  return out;
}

Event event(bool on) {
  return {.on = on, .at = 85 * kNano, .from = 0, .to = 300 * kNano, .current_at = 57 * kNano, .bus = {100, 0}, .load = {10, 0}, .gate_low = study::switching::Rest{0, 0}, .gate_high = study::switching::Rest{10, 0}};
}

/// i_d goes to 14 A and back to 10 A while v_ds falls from 100 V.
const Corners kOnV = {{0, 100}, {60, 100}, {110, 0}, {300, 0}}, kOnI = {{0, 0}, {50, 0}, {70, 14}, {90, 10}, {300, 10}};
/// v_ds goes to 120 V and back to 100 V while i_d falls from 10 A.
const Corners kOffV = {{0, 0}, {40, 0}, {100, 120}, {110, 100}, {300, 100}}, kOffI = {{0, 10}, {80, 10}, {120, 0}, {300, 0}};

constexpr const char* kNoExcess = "i_d does not exceed the load current, as that climbs, by more than its noise";

double value(const Edge& e, Key key) {
  const auto& f = e.get(key);
  if (!f.value) FAIL(f.value.error());
  return *f.value;
}
std::string why_not(const Edge& e, Key key) {
  const auto& f = e.get(key);
  return f.value ? "it is there" : f.value.error();
}
Edge edge(const Corners& v, const Corners& i, bool on, const Windows& windows = {}) {
  const auto core = core_of(v, i);
  return study::switching::edge_of(core, event(on), windows);
}

}  // namespace

TEST_CASE("a level is passed at the first sample beyond it, going forward or back", "[switching]") {
  const auto s = samples({{0, 0}, {10, 10}, {20, 10}, {30, 0}});
  const auto past = [&](double from, double level, bool above, bool forward) {
    const auto at = study::switching::first_past(s, from * kNano, level, above, forward);
    return at ? *at / kNano : -1;
  };
  CHECK(past(0, 4.5, true, true) == Approx(4.5));
  CHECK(past(5, 4.5, true, true) == Approx(4.5));
  CHECK(past(15, 4.5, false, true) == Approx(25.5));
  CHECK(past(28, 4.5, true, false) == Approx(25.5));
  CHECK(past(15, 4.5, false, false) == Approx(4.5));
  CHECK(past(0, 11, true, true) == -1);
  CHECK(past(30, 11, true, false) == -1);
  CHECK(past(0, -1, false, true) == -1);
  // One that stands there already begins at its own sample; exactly on the level counts.
  CHECK(past(15, 10, true, true) == Approx(15));
  CHECK(past(20, 10, true, false) == Approx(19));
  CHECK(past(0, 0, false, true) == Approx(0));
  CHECK(past(3, 5, true, true) == Approx(5));
  // Of two that both lie beyond it, the one next to the level counts, not what a line beyond them would say.
  const auto line = samples({{0, 0}, {3, 30}}), falls = samples({{0, 30}, {2, 24}, {3, 21}});
  const auto on = [](const Samples& of, double from, double level, bool forward) { return *study::switching::first_past(of, from * kNano, level, true, forward) / kNano; };
  CHECK(on(line, 2.5, 5, false) == Approx(2));
  CHECK(on(line, 1.5, 5, true) == Approx(1));
  CHECK(on(falls, 1.5, 5, false) == Approx(2));
  CHECK(on(falls, 1.5, 5, true) == Approx(2));
}

TEST_CASE("between samples a quantity goes straight, and holds beyond its ends", "[switching]") {
  Samples s;
  s.t = {1, 2, 4};
  s.y = {10, 20, 0};
  CHECK(s.at(0) == 10);
  CHECK(s.at(1) == 10);
  CHECK(s.at(1.5) == 15);
  CHECK(s.at(2) == 20);
  CHECK(s.at(3) == 10);
  CHECK(s.at(4) == 0);
  CHECK(s.at(9) == 0);
}

TEST_CASE("the energy of two straight lines is exact, whichever samples they have", "[switching]") {
  for (const double each : {1.0, 0.5, 0.25})
    for (const auto& [from, to] : {std::pair{45.0, 116.0}, {45.3, 80.7}, {60.0, 60.4}, {0.0, 300.0}}) {
      CAPTURE(each);
      CAPTURE(from);
      CHECK(study::switching::energy_between(samples(kOffV), samples(kOffI, each), from * kNano, to * kNano) == Approx(energy(kOffV, kOffI, from, to)).margin(1e-15));
    }
  CHECK(study::switching::energy_between(samples(kOffV), samples(kOffI), 50 * kNano, 50 * kNano) == 0);
  // What ends before the window holds its last value.
  const Corners short_i = {{0, 10}, {50, 10}};
  CHECK(study::switching::energy_between(samples({{0, 5}, {100, 5}}), samples(short_i), 20 * kNano, 80 * kNano) == Approx(5 * 10 * 60 * kNano));
}

TEST_CASE("a turn-on of straight lines has every value in closed form", "[switching]") {
  auto core = core_of(kOnV, kOnI);
  core.g = samples({{0, 0}, {40, 0}, {60, 10}, {300, 10}});
  // The other device gives its current up, goes 4 A beyond and comes back; its voltage rises meanwhile.
  const Corners i_f = {{0, 10}, {50, 10}, {70, -4}, {90, 0}, {300, 0}}, v_f = {{0, 0}, {60, 0}, {110, 100}, {300, 100}};
  core.i_f = samples(i_f);
  core.v_f = samples(v_f);
  const auto e = study::switching::edge_of(core, event(true), {});
  const double slope = 0.7;  // A/ns
  const auto i_at = [&](double amperes) { return 50 + amperes / slope; };
  CHECK(value(e, Key::rise_time) == Approx(8 / slope * kNano));
  CHECK(e.get(Key::rise_time).from == Approx(i_at(1) * kNano));
  CHECK(e.get(Key::rise_time).to == Approx(i_at(9) * kNano));
  CHECK(value(e, Key::di_dt_on) == Approx(slope / kNano));
  CHECK(value(e, Key::dv_dt_on) == Approx(2 / kNano));
  CHECK(value(e, Key::delay_on) == Approx((i_at(1) - 42) * kNano));
  REQUIRE(e.window);
  CHECK(e.window->first == Approx(i_at(1) * kNano));
  CHECK(e.window->second == Approx(105 * kNano));
  CHECK(value(e, Key::energy_on) == Approx(energy(kOnV, kOnI, i_at(1), 105)));
  CHECK(value(e, Key::peak_current) == Approx(14));
  CHECK(value(e, Key::recovery_current) == Approx(4));
  // Over the load current up to a tenth of its peak: two triangles less a tip.
  CHECK(value(e, Key::recovery_charge) == Approx(((70 - i_at(10)) * 4 / 2 + 18 * (4 + 0.4) / 2) * kNano));
  CHECK(e.get(Key::recovery_charge).to == Approx(88 * kNano));
  CHECK(value(e, Key::energy_recovery) == Approx(std::abs(energy(v_f, i_f, i_at(10), 70 + 3.92 / 0.2))));
  // Nothing of a turn-off is said.
  CHECK(why_not(e, Key::energy_off).empty());
  CHECK(why_not(e, Key::peak_voltage).empty());
  // Windows of their own.
  const auto wide = study::switching::edge_of(core, event(true), {.on_start = 0.05, .on_end = 0.02});
  CHECK(value(wide, Key::energy_on) == Approx(energy(kOnV, kOnI, i_at(0.5), 109)));
  CHECK(value(wide, Key::rise_time) == Approx(value(e, Key::rise_time)));
  // The other device's current may be counted the other way.
  for (auto& y : core.i_f->y) y = -y;
  CHECK(value(study::switching::edge_of(core, event(true), {}), Key::energy_recovery) == Approx(value(e, Key::energy_recovery)));
}

TEST_CASE("a turn-off of straight lines has every value in closed form", "[switching]") {
  auto core = core_of(kOffV, kOffI);
  core.g = samples({{0, 10}, {20, 10}, {40, 0}, {300, 0}});
  const auto e = study::switching::edge_of(core, event(false), {});
  CHECK(value(e, Key::fall_time) == Approx(32 * kNano));
  CHECK(value(e, Key::di_dt_off) == Approx(0.25 / kNano));
  CHECK(value(e, Key::dv_dt_off) == Approx(2 / kNano));
  CHECK(value(e, Key::delay_off) == Approx((84 - 22) * kNano));
  REQUIRE(e.window);
  CHECK(e.window->first == Approx(45 * kNano));
  CHECK(e.window->second == Approx(116 * kNano));
  CHECK(value(e, Key::energy_off) == Approx(energy(kOffV, kOffI, 45, 116)));
  CHECK(value(e, Key::peak_voltage) == Approx(120));
  CHECK(e.get(Key::peak_voltage).from == Approx(100 * kNano).margin(kNano));
  CHECK(value(e, Key::overshoot_voltage) == Approx(20));
  CHECK(why_not(e, Key::energy_on).empty());
  const auto wide = study::switching::edge_of(core, event(false), {.off_start = 0.2, .off_end = 0.05});
  CHECK(value(wide, Key::energy_off) == Approx(energy(kOffV, kOffI, 50, 118)));
}

TEST_CASE("what a turn-on does not show is absent with its reason", "[switching]") {
  const auto none = edge(kOnV, {{0, 0}, {300, 0}}, true);
  for (const auto key : {Key::energy_on, Key::delay_on, Key::rise_time, Key::dv_dt_on, Key::di_dt_on, Key::peak_current, Key::recovery_current, Key::recovery_charge, Key::energy_recovery})
    CHECK(why_not(none, key) == "i_d does not rise to the load current there");
  const auto high = edge({{0, 100}, {300, 100}}, kOnI, true);
  for (const auto key : {Key::energy_on, Key::dv_dt_on, Key::peak_current, Key::recovery_current, Key::recovery_charge, Key::energy_recovery}) CHECK(why_not(high, key) == "v_ds does not fall there");
  CHECK(value(high, Key::rise_time) == Approx(8 / 0.7 * kNano));
  CHECK(why_not(high, Key::delay_on) == "there is no v_gs");
  const auto plain = edge(kOnV, kOnI, true);
  CHECK(why_not(plain, Key::energy_recovery) == "there are no v_f and i_f of the other device");
  const auto soft = edge({{0, 100}, {10, 100}, {30, 0}, {300, 0}}, kOnI, true);
  CHECK(why_not(soft, Key::energy_on) == "v_ds has fallen before i_d rises: nothing is switched hard");
  CHECK_FALSE(soft.window);
  const auto flat = edge(kOnV, {{0, 0}, {50, 0}, {64, 10}, {300, 10}}, true);
  CHECK(why_not(flat, Key::recovery_current) == kNoExcess);
  CHECK(why_not(flat, Key::recovery_charge) == kNoExcess);
  CHECK(value(flat, Key::peak_current) == Approx(10));
  const auto cut = edge({{0, 100}, {60, 100}, {80, 60}, {83, 0}, {86, 0}}, {{0, 0}, {50, 0}, {70, 14}, {86, 10.8}}, true);
  CHECK(why_not(cut, Key::recovery_charge) == "i_d does not come back to the load current within the record");
  CHECK(value(cut, Key::recovery_current) == Approx(4));
  const auto begun = edge(kOnV, {{0, 1.5}, {50, 1.5}, {70, 14}, {90, 10}, {300, 10}}, true);
  CHECK(why_not(begun, Key::energy_on) == "i_d does not begin below the window's level within the record");
  CHECK(why_not(begun, Key::rise_time) == "i_d does not pass both of its levels there");
  CHECK(why_not(begun, Key::di_dt_on) == "i_d does not pass both of its levels there");
  const auto stays = edge({{0, 100}, {60, 100}, {110, 15}, {300, 15}}, kOnI, true);
  CHECK(why_not(stays, Key::energy_on) == "v_ds does not fall to the window's level within the record");
  CHECK(why_not(stays, Key::dv_dt_on) == "v_ds does not pass both of its levels there");
  // The gate.
  auto core = core_of(kOnV, kOnI);
  core.g = samples({{0, 0}, {52, 0}, {72, 10}, {300, 10}});
  CHECK(why_not(study::switching::edge_of(core, event(true), {}), Key::delay_on) == "i_d moves before v_gs does");
  core.g = samples({{0, 8}, {300, 8}});
  CHECK(why_not(study::switching::edge_of(core, event(true), {}), Key::delay_on) == "v_gs does not pass its level before it");
  auto lost = event(true);
  lost.gate_high.reset();
  CHECK(why_not(study::switching::edge_of(core, lost, {}), Key::delay_on) == "v_gs does not rest at two levels about it");
  core.g = samples({{0, 0}, {40, 0}, {60, 10}, {300, 10}});
  core.i = samples({{0, 1.5}, {50, 1.5}, {70, 14}, {90, 10}, {300, 10}});
  CHECK(why_not(study::switching::edge_of(core, event(true), {}), Key::delay_on) == "i_d does not pass its level there");
  // A recovery of 1.5 A stands out of its noise, thrice.
  core = core_of(kOnV, {{0, 0}, {50, 0}, {70, 11.5}, {90, 10}, {300, 10}});
  core.i.noise = 0.4;
  CHECK(study::switching::edge_of(core, event(true), {}).get(Key::recovery_current).value);
  core.i.noise = 0.55;
  CHECK(why_not(study::switching::edge_of(core, event(true), {}), Key::recovery_current) == kNoExcess);
  // What only climbs on as the load does is none: 10 A at 85 ns, and 10 mA a nanosecond.
  core = core_of(kOnV, {{0, 0}, {50, 0}, {70, 9.85}, {300, 12.15}});
  auto climbs = event(true);
  CHECK(study::switching::edge_of(core, climbs, {}).get(Key::recovery_current).value);
  climbs.load_slope = 10e-3 / kNano;
  CHECK(why_not(study::switching::edge_of(core, climbs, {}), Key::recovery_current) == kNoExcess);
  CHECK(why_not(study::switching::edge_of(core, climbs, {}), Key::recovery_charge) == kNoExcess);
  // A thousandth of 10 A beyond that is little enough.
  climbs.load_slope = 10e-3 / kNano;
  core.i = samples({{0, 0}, {50, 0}, {70, 9.85}, {100, 10.159}, {102, 10.17}, {300, 12.15}});
  CHECK(why_not(study::switching::edge_of(core, climbs, {}), Key::recovery_current) == kNoExcess);
  core.i = samples({{0, 0}, {50, 0}, {70, 9.85}, {100, 11.35}, {102, 10.17}, {300, 10.17}});
  CHECK(value(study::switching::edge_of(core, climbs, {}), Key::recovery_current) > 1);
  // A peak that is lower than what the load climbs to is one all the same: 10.5 A where the load has 9.85 A.
  core.i = samples({{0, 0}, {50, 0}, {70, 10.5}, {90, 10.05}, {300, 12.15}});
  const auto peaks = study::switching::edge_of(core, climbs, {});
  CHECK(value(peaks, Key::peak_current) == Approx(10.5));
  CHECK(value(peaks, Key::recovery_current) == Approx(0.65));
  // Until a tenth of that is left: a triangle from 9.85 A to 0.065 A.
  CHECK(value(peaks, Key::recovery_charge) == Approx((0.65 * 0.65 / (10.5 / 20 - 10e-3) / 2 + 0.65 * 20 / 2 * 0.99) * kNano).epsilon(0.03));
  // The other device.
  core = core_of(kOnV, kOnI);
  core.v_f = samples(kOnV);
  CHECK(why_not(study::switching::edge_of(core, event(true), {}), Key::energy_recovery) == "there are no v_f and i_f of the other device");
  core.i_f = samples({{0, 10}, {50, 10}, {70, 0}, {300, 0}});
  CHECK(why_not(study::switching::edge_of(core, event(true), {}), Key::energy_recovery) == "i_f does not turn round: there is no recovery");
  core.i_f = samples({{0, 10}, {50, 10}, {70, -4}, {300, -4}});
  CHECK(why_not(study::switching::edge_of(core, event(true), {}), Key::energy_recovery) == "i_f does not pass zero and come back within the record");
}

TEST_CASE("what a turn-off does not show is absent with its reason", "[switching]") {
  const auto low = edge({{0, 0}, {300, 0}}, kOffI, false);
  for (const auto key : {Key::energy_off, Key::delay_off, Key::fall_time, Key::dv_dt_off, Key::di_dt_off, Key::peak_voltage, Key::overshoot_voltage}) CHECK(why_not(low, key) == "v_ds does not rise there");
  const auto begun = edge({{0, 15}, {40, 15}, {100, 120}, {110, 100}, {300, 100}}, kOffI, false);
  CHECK(why_not(begun, Key::energy_off) == "v_ds does not begin below the window's level within the record");
  CHECK(why_not(begun, Key::dv_dt_off) == "v_ds does not pass both of its levels there");
  CHECK(value(begun, Key::peak_voltage) == Approx(120));
  const auto rest = edge(kOffV, {{0, 10}, {80, 10}, {120, 2}, {300, 2}}, false);
  CHECK(why_not(rest, Key::energy_off) == "i_d does not fall to the window's level within the record");
  CHECK(why_not(rest, Key::fall_time) == "i_d does not pass both of its levels there");
  const auto soft = edge(kOffV, {{0, 10}, {5, 10}, {25, 0}, {300, 0}}, false);
  CHECK(why_not(soft, Key::energy_off) == "i_d has fallen before v_ds rises: nothing is switched hard");
  const auto holds = edge(kOffV, {{0, 10}, {300, 10}}, false);
  CHECK(why_not(holds, Key::energy_off) == "i_d does not fall to the window's level within the record");
  CHECK(why_not(holds, Key::delay_off) == "there is no v_gs");
  CHECK(value(holds, Key::overshoot_voltage) == Approx(20));
}

TEST_CASE("the peak of a turn-on is looked for no further than its own time after it", "[switching]") {
  // 105 ns is where the window ends; twice the 48 ns from the current's passage, 57 ns, on.
  const auto with_bump = [](double from) { return Corners{{0, 0}, {50, 0}, {70, 14}, {90, 10}, {from, 10}, {from + 2, 20}, {from + 4, 10}, {300, 10}}; };
  CHECK(value(edge(kOnV, with_bump(196), true), Key::peak_current) == Approx(20));
  CHECK(value(edge(kOnV, with_bump(204), true), Key::peak_current) == Approx(14));
  // Of a turn-off twice as far as its end lies after the voltage's passage: 116 ns and 2 * 51 ns on.
  const auto rings = [](double from) { return Corners{{0, 0}, {40, 0}, {100, 120}, {110, 100}, {from, 100}, {from + 2, 150}, {from + 4, 100}, {300, 100}}; };
  CHECK(value(edge(rings(210), kOffI, false), Key::peak_voltage) == Approx(150));
  CHECK(value(edge(rings(222), kOffI, false), Key::peak_voltage) == Approx(120));
}

TEST_CASE("a turn-off that does not reach nine tenths has its peak no further on either", "[switching]") {
  const Corners low = {{0, 0}, {40, 0}, {90, 85}, {250, 85}, {252, 88}, {254, 85}, {300, 85}};
  const auto e = edge(low, kOffI, false);
  CHECK(why_not(e, Key::dv_dt_off) == "v_ds does not pass both of its levels there");
  CHECK(value(e, Key::peak_voltage) == Approx(85));
}

TEST_CASE("an energy is known no better than every second sample says", "[switching]") {
  // A sample every 7 ns bends where no line does.
  auto core = core_of(kOnV, kOnI);
  core.v = samples(kOnV, 7);
  core.i = samples(kOnI, 7);
  const auto e = study::switching::edge_of(core, event(true), {});
  REQUIRE(e.window);
  const double half = study::switching::energy_between(study::switching::every_second(core.v), study::switching::every_second(core.i), e.window->first, e.window->second);
  CHECK(std::abs(half - value(e, Key::energy_on)) > 1e-3 * value(e, Key::energy_on));
  // Beside how well both ends are known, by the power there.
  const auto begin = study::switching::past(core.i, *study::switching::clear_crossing(core.i, 5, 2.5, true), 1, false, false);
  const auto end = study::switching::past(core.v, *study::switching::clear_crossing(core.v, 50, 25, false), 10, false, true);
  REQUIRE(begin);
  REQUIRE(end);
  const auto power = [&](double t) { return core.v.at(t) * core.i.at(t); };
  CHECK(e.get(Key::energy_on).own == Approx(std::hypot(std::abs(half - value(e, Key::energy_on)) / 3, power(begin->t) * begin->u, power(end->t) * end->u)));
}

TEST_CASE("a gate's levels that are not quite known move its delay by its slope", "[switching]") {
  // Half a volt a nanosecond either way.
  for (const bool on : {true, false}) {
    auto core = on ? core_of(kOnV, kOnI) : core_of(kOffV, kOffI);
    core.g = on ? samples({{0, 0}, {20, 0}, {40, 10}, {300, 10}}) : samples({{0, 10}, {20, 10}, {40, 0}, {300, 0}});
    auto e = event(on);
    e.gate_low->u = 0.2;
    e.gate_high->u = 0.5;
    const auto found = study::switching::edge_of(core, e, {}).get(on ? Key::delay_on : Key::delay_off);
    REQUIRE(found.value);
    // A tenth of the swing from its low level, or from its high one.
    CHECK(found.own == Approx((on ? std::hypot(0.9 * 0.2, 0.1 * 0.5) : std::hypot(0.1 * 0.2, 0.9 * 0.5)) / 0.5 * kNano));
  }
}

TEST_CASE("a recovery of the other device stands out by four times its noise, however small", "[switching]") {
  const auto recovers = [](double peak, double noise) {
    auto core = core_of(kOnV, kOnI);
    core.v_f = samples(kOnV);
    core.i_f = samples({{0, 0.5}, {50, 0.5}, {70, -peak}, {90, 0}, {300, 0}});
    core.i_f->noise = noise;
    return bool(study::switching::edge_of(core, event(true), {}).get(Key::energy_recovery).value);
  };
  CHECK(recovers(0.45, 0));
  CHECK(recovers(0.45, 0.095));
  CHECK_FALSE(recovers(0.45, 0.125));
}

TEST_CASE("every error of the channels moves what is read as it moves the samples", "[switching]") {
  // A shot of straight lines, with one channel's error at a time.
  const test::Lines lines = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}, {"v_gs", test::kPulsesG}};
  using study::switching::Role;
  using study::switching::Source;
  const auto with = [&](Role role, const std::function<void(study::TraceErrors&)>& change, bool on, std::optional<double> u_skew = {}) {
    study::switching::Shot shot = *test::shot_of(lines);
    for (auto& one : shot.of)
      if (one) one->errors = {};
    change(shot.of[std::size_t(role)]->errors);
    auto event = on ? *shot.on : *shot.off;
    event.bus.u = event.load.u = 0;
    auto out = study::switching::read_edge(shot, event, {}, u_skew);
    if (!out) FAIL(out.error().message);
    return *out;
  };
  const auto shared = [](const Edge& e, Key key, Source source) { return e.get(key).shared[std::size_t(source)]; };
  for (const bool on : {true, false}) {
    CAPTURE(on);
    const auto key = on ? Key::energy_on : Key::energy_off;
    const auto v_gain = with(Role::v_ds, [](auto& e) { e.u_gain = 0.01; }, on);
    const double energy_is = value(v_gain, key);
    // Its levels move with it, so that the window stands.
    CHECK(shared(v_gain, key, Source::v_gain) == Approx(0.01 * energy_is).epsilon(1e-6));
    CHECK(shared(v_gain, key, Source::i_gain) == 0);
    CHECK(v_gain.load_shared == study::switching::BySource{});
    const auto i_gain = with(Role::i_d, [](auto& e) { e.u_gain = 0.02; }, on);
    CHECK(shared(i_gain, key, Source::i_gain) == Approx(0.02 * energy_is).epsilon(1e-6));
    CHECK(i_gain.load_shared[std::size_t(Source::i_gain)] == Approx(0.02 * i_gain.event.load.value));
    // An offset is the same step on both levels: the slope stays, the energy gains the other factor's integral.
    const auto v_offset = with(Role::v_ds, [](auto& e) { e.u_offset = 0.1; }, on);
    const auto i_offset = with(Role::i_d, [](auto& e) { e.u_offset = 0.1; }, on);
    CHECK(shared(v_offset, key, Source::v_offset) > 0);
    CHECK(shared(i_offset, key, Source::i_offset) > 0);
    CHECK(i_offset.load_shared[std::size_t(Source::i_offset)] == Approx(0.1));
    CHECK(shared(v_offset, on ? Key::dv_dt_on : Key::dv_dt_off, Source::v_offset) == Approx(0).margin(1e-5 * 48 / 50e-9));
    // A delay of i_d lets a turn-on cost less and a turn-off more, and moves nothing within one channel.
    const auto delay = with(Role::i_d, [](auto& e) { e.u_delay = 1e-9; }, on);
    CHECK((on ? shared(delay, key, Source::delay) < 0 : shared(delay, key, Source::delay) > 0));
    CHECK(shared(delay, on ? Key::rise_time : Key::fall_time, Source::delay) == Approx(0).margin(1e-15));
    const auto both = with(Role::v_ds, [](auto& e) { e.u_delay = 1e-9; }, on);
    CHECK(shared(both, key, Source::delay) == Approx(shared(delay, key, Source::delay)));
    const auto known = with(Role::i_d, [](auto& e) { e.u_delay = 1e-9; }, on, 2e-9);
    CHECK(shared(known, key, Source::delay) == Approx(2 * shared(delay, key, Source::delay)).epsilon(0.1));
    // Levels that are not quite known move what is read by them, as their own.
    study::switching::Shot shot = *test::shot_of(lines);
    for (auto& one : shot.of)
      if (one) one->errors = {};
    auto event = on ? *shot.on : *shot.off;
    event.bus.u = 0.5;
    event.load.u = 0;
    const auto plain = with(Role::i_d, [](auto&) {}, on);
    const auto unsure = *study::switching::read_edge(shot, event, {}, {});
    auto moved = event;
    moved.bus.value += 0.5;
    moved.bus.u = 0;
    const auto other = *study::switching::read_edge(shot, moved, {}, {});
    CHECK(unsure.get(key).own == Approx(std::hypot(plain.get(key).own, value(other, key) - value(plain, key))));
    CHECK(unsure.get(key).own > plain.get(key).own);
  }
}

TEST_CASE("an energy moves with the delay of its current by the power at its ends", "[switching]") {
  const auto core = core_of(kOffV, kOffI);
  const auto at = [&](double ns) { return *study::switching::energy_at(core, event(false), {}, ns * kNano); };
  const auto later = [](double ns) {
    Corners out = kOffI;
    for (auto& [t, y] : out) t += ns;
    out.front().first = 0;
    return out;
  };
  CHECK(at(0) == Approx(energy(kOffV, kOffI, 45, 116)));
  CHECK(at(2) == Approx(energy(kOffV, later(2), 45, 118)));
  CHECK(at(-3) == Approx(energy(kOffV, later(-3), 45, 113)));
  CHECK_FALSE(study::switching::energy_at(core_of({{0, 0}, {300, 0}}, kOffI), event(false), {}, 0));
}

TEST_CASE("an uncertainty is the root of what is its own and of each source", "[switching]") {
  study::switching::Found f;
  f.own = 3;
  f.shared = {0, -4, 0, 0, 0, 12};
  CHECK(f.u() == Approx(13));
  CHECK(study::switching::definition(Key::recovery_charge).unit == std::string("C"));
  CHECK(study::switching::definition(Key::energy_recovery).on);
  CHECK_FALSE(study::switching::definition(Key::overshoot_voltage).on);
}

}  // namespace switching_edges
