#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/percent.h"
#include "base/random.h"
#include "study/switching/doubts.h"
#include "switching_support.h"

using namespace heron;

/// Shots of straight lines with one thing about them that is put just under and just over its bound.
namespace switching_doubts {
namespace {

namespace switching = study::switching;
using switching::Key;
using switching::ReadShot;
using switching::Role;
using switching::Shot;
using test::Corners;
using test::kNano;
using test::Lines;

const Lines kAll = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}, {"v_gs", test::kPulsesG}};

ReadShot read(const Lines& all, const study::SettingsText& text = {}) {
  auto out = switching::read(test::record_of(all), {}, test::switching_settings(text));
  if (!out) FAIL(out.error().message);
  ReadShot read = **out;
  // Straight lines of so few samples have a loop of their own, which is not what is looked at here.
  read.skew.reset();
  read.pickup.reset();
  return read;
}
/// With its record's quantities changed once they were read.
ReadShot with(ReadShot read, const std::function<void(Shot&)>& change) {
  auto shot = std::make_shared<Shot>(*read.shot);
  change(*shot);
  read.shot = std::move(shot);
  return read;
}
std::vector<study::Doubt> doubts(const ReadShot& read, const study::SettingsText& text = {}, const study::Reading& reading = {}) {
  auto out = switching::find_doubts(read, reading, test::switching_settings(text));
  if (!out) FAIL(out.error().message);
  for (auto& d : *out) {
    d.text = test::spaced(d.text);
    d.remedy = test::spaced(d.remedy);
  }
  return *out;
}
std::optional<study::Doubt> doubt(const ReadShot& read, std::string_view key, const study::SettingsText& text = {}, const study::Reading& reading = {}) {
  for (const auto& d : doubts(read, text, reading))
    if (d.key == key) return d;
  return std::nullopt;
}

}  // namespace

TEST_CASE("a sound shot of straight lines is doubted by nothing", "[switching][doubts]") {
  Lines all = kAll;
  // An edge of v_ds with five samples.
  all[0].second = {{0, 48}, {5, 48}, {5.06, 0}, {15, 0}, {15.06, 48}, {20, 48}, {20.06, 0}, {24, 0}, {24.06, 48}, {30, 48}};
  for (const auto& d : doubts(read(all))) {
    INFO(d.text);
    CHECK(false);
  }
}

TEST_CASE("a skew is told beyond a twentieth of the shorter edge and twice what it is known to", "[switching][doubts]") {
  auto r = read(kAll);
  const auto rise = r.get(Key::rise_time), fall = r.get(Key::fall_time);
  REQUIRE(rise.value);
  REQUIRE(fall.value);
  const double shorter = std::min(rise.to - rise.from, fall.to - fall.from);
  // 80 % of 100 ns, either way.
  CHECK(shorter == Approx(80 * kNano).epsilon(0.02));
  const auto told = [&](double value, double u, const study::SettingsText& text = {}) {
    r.skew = switching::Skew{value, u, 10 * kNano};
    return doubt(r, "skew.suspected", text);
  };
  CHECK(told(1.01 * shorter / 20, 0));
  CHECK_FALSE(told(0.99 * shorter / 20, 0));
  CHECK(told(-1.01 * shorter / 20, 0));
  CHECK_FALSE(told(-0.99 * shorter / 20, 0));
  CHECK(told(5 * kNano, 2.49 * kNano));
  CHECK_FALSE(told(5 * kNano, 2.51 * kNano));
  CHECK(told(-5 * kNano, 2.49 * kNano));
  CHECK_FALSE(told(-5 * kNano, 2.51 * kNano));
  const auto lags = told(5.004 * kNano, 0);
  CHECK_THAT(lags->text, Catch::Matchers::StartsWith("i_d lags v_ds by 5.00 ns, by the inductive step of v_ds. A nanosecond is worth "));
  CHECK_THAT(lags->text, Catch::Matchers::Contains("% of the turn-on energy and ") && Catch::Matchers::EndsWith("% of the turn-off energy."));
  CHECK(lags->remedy == "Accept it: skew = 5.00 ns.");
  CHECK(lags->settings == study::Edits{{"skew", "5 ns"}});
  CHECK_THAT(told(-5 * kNano, 0)->text, Catch::Matchers::StartsWith("i_d leads v_ds by 5.00 ns"));
  // What it costs is what it costs, in per cent.
  const auto cost = switching::skew_cost(r, {});
  const auto per_cent = [](double share) { return test::spaced(in_percent(std::abs(share) / 100)); };
  CHECK(lags->text == "i_d lags v_ds by 5.00 ns, by the inductive step of v_ds. A nanosecond is worth " + per_cent(*cost.on) + " of the turn-on energy and " + per_cent(*cost.off) + " of the turn-off energy.");
  // On top of what was accepted before.
  const auto more = told(5 * kNano, 0, {{"skew", "2 ns"}});
  CHECK(more->remedy == "Accept it: skew = 7.00 ns.");
  CHECK(more->settings == study::Edits{{"skew", "7 ns"}});
  CHECK_FALSE(doubt(read(kAll), "skew.suspected"));
  // With one event only that one costs.
  r.on.reset();
  CHECK_THAT(told(5 * kNano, 0)->text, !Catch::Matchers::Contains("turn-on") && Catch::Matchers::Contains("A nanosecond is worth "));
  r.off.reset();
  CHECK_FALSE(told(5 * kNano, 0));
}

TEST_CASE("what a nanosecond costs is half of the step from one earlier to one later", "[switching]") {
  const auto r = read(kAll);
  const auto cost = switching::skew_cost(r, {});
  REQUIRE(cost.on);
  REQUIRE(cost.off);
  for (const bool on : {true, false}) {
    const auto& edge = on ? *r.on : *r.off;
    const auto core = *switching::core_of(*r.shot, edge.event, {});
    const auto at = [&](double by) { return *switching::energy_at(core, edge.event, {}, by); };
    CHECK((on ? *cost.on < 0 : *cost.off > 0));
    CHECK((on ? *cost.on : *cost.off) == Approx(100 * (at(kNano) - at(-kNano)) / 2 / at(0)));
  }
  auto off_only = r;
  off_only.on.reset();
  CHECK_FALSE(switching::skew_cost(off_only, {}).on);
  CHECK(switching::skew_cost(off_only, {}).off);
}

TEST_CASE("a shunt's inductance is told beyond a fiftieth of the shorter edge and thrice what a skew is known to", "[switching][doubts]") {
  auto r = read(kAll);
  const double shorter = std::min(r.get(Key::rise_time).to - r.get(Key::rise_time).from, r.get(Key::fall_time).to - r.get(Key::fall_time).from);
  const auto told = [&](double pickup, double u, const study::SettingsText& text = {}) {
    r.skew = switching::Skew{0, u, 10 * kNano};
    r.pickup = pickup;
    return doubt(r, "shunt.inductance", text);
  };
  CHECK(told(1.01 * shorter / 50, 0));
  CHECK_FALSE(told(0.99 * shorter / 50, 0));
  CHECK(told(3 * kNano, 0.99 * kNano));
  CHECK_FALSE(told(3 * kNano, 1.01 * kNano));
  CHECK(told(3 * kNano, 0)->text == "i_d follows its own slope: its inductance over its resistance is 3.0 ns.");
  CHECK(told(3 * kNano, 0, {{"shunt", "10 mohm"}})->text == "i_d follows its own slope: its inductance over its resistance is 3.0 ns, 30 pH in 10.0 mΩ.");
  // Where it explains the step, a skew does not.
  r.skew = switching::Skew{5 * kNano, 0, 10 * kNano};
  CHECK_FALSE(doubt(r, "skew.suspected"));
  r.pickup.reset();
  CHECK(doubt(r, "skew.suspected"));
  r.on.reset();
  r.off.reset();
  CHECK_FALSE(told(3 * kNano, 0));
}

TEST_CASE("a ramp that bends is told beyond a tenth, where it is known", "[switching][doubts]") {
  const auto bent = [](double first, double last, double u_first = 0, double u_last = 0) {
    return doubt(with(read(kAll), [&](Shot& s) { s.ramp = switching::Ramp{.slope_first = first, .slope_last = last, .u_first = u_first, .u_last = u_last}; }), "saturation.inductor");
  };
  CHECK(bent(2e6, 2.21e6));
  CHECK_FALSE(bent(2e6, 2.19e6));
  CHECK(bent(2e6, 4e6, 0.49e6));
  CHECK_FALSE(bent(2e6, 4e6, 0.51e6));
  // 4 - 2.2 is 1.8, against the root of both squares.
  CHECK(bent(2e6, 4e6, 0, 1.79e6));
  CHECK_FALSE(bent(2e6, 4e6, 0, 1.81e6));
  CHECK(bent(2e6, 4e6, 0.4e6, 1.75e6));
  CHECK_FALSE(bent(2e6, 4e6, 0.4e6, 1.76e6));
  CHECK_FALSE(bent(-2e6, 4e6));
  CHECK(bent(2e6, 5e6)->text == "The current climbs 2.5 times as fast at the end of the first pulse as at its beginning: the inductor saturates.");
  CHECK_FALSE(doubt(with(read(kAll), [](Shot& s) { s.ramp.reset(); }), "saturation.inductor"));
}

TEST_CASE("what comes near a rating says by how much", "[switching][doubts]") {
  auto r = read(kAll);
  const auto set = [&](Key key, double value) {
    auto& edge = switching::definition(key).on ? *r.on : *r.off;
    edge.found[std::size_t(key)].value = value;
  };
  set(Key::peak_voltage, 54);
  set(Key::peak_current, 27);
  CHECK(doubt(r, "rating.near", {{"voltage_rating", "59.9 V"}}));
  CHECK_FALSE(doubt(r, "rating.near", {{"voltage_rating", "60.1 V"}}));
  CHECK(doubt(r, "rating.near", {{"voltage_rating", "54.1 V"}})->severity == study::Severity::caution);
  CHECK(doubt(r, "rating.near", {{"voltage_rating", "53.9 V"}})->severity == study::Severity::serious);
  CHECK(doubt(r, "rating.near", {{"voltage_rating", "50 V"}})->text == "The voltage reaches 54.0 V, 108 % of its rating of 50.0 V.");
  CHECK(doubt(r, "rating.near", {{"voltage_rating", "50 V"}})->remedy == "Lower the bus, or switch more slowly.");
  CHECK(doubt(r, "rating.near", {{"current_rating", "30 A"}})->text == "The current reaches 27.0 A, 90 % of its rating of 30.0 A.");
  CHECK(doubt(r, "rating.near", {{"current_rating", "30 A"}})->remedy == "Lower the current.");
  CHECK_FALSE(doubt(r, "rating.near", {{"current_rating", "30.1 A"}}));
  r.on.reset();
  CHECK_FALSE(doubt(r, "rating.near", {{"current_rating", "1 A"}}));
}

TEST_CASE("ringing is told by its first swing to the other side, less its noise", "[switching][doubts]") {
  // After the current has gone v_ds swings 10 V above and `below` under the bus, beyond the window's end at 15.14 us.
  const auto ringing = [](double below, double above = 10, double noise = 0) {
    Lines all = kAll;
    all[0].second = {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {15.17, 48}, {15.2, 48 + above}, {15.25, 48 - below}, {15.3, 48}, {20, 48}, {20.05, 0}, {24, 0}, {24.05, 48}, {30, 48}};
    const auto r = with(read(all), [&](Shot& s) { s.of[std::size_t(Role::v_ds)]->noise = noise; });
    return doubt(r, "ringing.in_window");
  };
  // A twentieth of 48 V is 2.4 V.
  CHECK(ringing(2.5));
  CHECK_FALSE(ringing(2.3));
  CHECK(ringing(7.2)->text == "v_ds rings by 15 % of its step where the window of the turn-off closes: what it carries to and fro after that is left out.");
  // What only sinks is a tail.
  CHECK_FALSE(ringing(6, 0));
  CHECK(ringing(6, 1.9, 0.9));
  CHECK_FALSE(ringing(6, 1.7, 0.9));
  CHECK(ringing(4.3, 10, 0.9));
  CHECK_FALSE(ringing(4.1, 10, 0.9));
  // What swings long after the window closes is another matter: three windows on.
  Lines late = kAll;
  late[0].second = {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {15.58, 48}, {15.61, 60}, {15.64, 36}, {15.67, 48}, {20, 48}, {20.05, 0}, {24, 0}, {24.05, 48}, {30, 48}};
  CHECK_FALSE(doubt(read(late), "ringing.in_window"));
  // The current about its load at turn-on: 20 A on a ramp of 2 A/us.
  const auto current = [](double below) {
    Lines all = kAll;
    all[1].second = {{0, 0}, {5, 0}, {15, 20}, {15.05, 20}, {15.15, 0}, {19.9, 0}, {20, 20}, {20.06, 20}, {20.1, 24}, {20.14, 20 - below}, {20.2, 20}, {24, 20}, {24.05, 20}, {24.15, 0}, {30, 0}};
    return doubt(read(all), "ringing.in_window");
  };
  CHECK_FALSE(current(0.9));
  REQUIRE(current(1.2));
  CHECK_THAT(current(1.2)->text, Catch::Matchers::StartsWith("i_d rings by ") && Catch::Matchers::Contains("of the turn-on closes"));
}

TEST_CASE("a gate that follows the slope of v_ds is told by how much, and of what it takes", "[switching][doubts]") {
  // At turn-on v_ds falls by 48 V in 200 ns while the gate, which stands still then, is lifted by `by` V, with noise on it.
  const auto lifted = [](double by, double noise = 0, double sign = -1) {
    Lines all = kAll;
    all[0].second = {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {20, 48}, {20.2, 0}, {24, 0}, {24.05, 48}, {30, 48}};
    all[2].second = {{0, -3}, {4.9, -3}, {5, 12}, {14.9, 12}, {15, -3}, {19.8, -3}, {19.9, 12}, {20, 12}, {20.001, 12 + sign * by}, {20.199, 12 + sign * by}, {20.2, 12}, {23.9, 12}, {24, -3}, {30, -3}};
    auto r = read(all);
    if (noise > 0) {
      // On the gate alone, once all levels are known.
      std::mt19937_64 random(6);
      r = with(r, [&](Shot& s) {
        auto& g = *s.of[std::size_t(Role::v_gs)];
        std::vector<double> y(g.trace->size());
        REQUIRE(g.trace->read(0, y));
        for (auto& v : y) v += noise * normal_deviate(random);
        g.trace = study::trace_of("v_gs", "V", g.trace->time, std::move(y));
      });
    }
    return doubt(r, "common_mode.suspected");
  };
  // Two per cent of 15 V are 0.3 V.
  const auto told = lifted(0.36);
  REQUIRE(told);
  CHECK_THAT(told->text, Catch::Matchers::StartsWith("v_gs follows the slope of v_ds at turn-on: ") && Catch::Matchers::Contains(" at 240 MV/s. A rejection of 4"));
  // 20 lg(48/0.3) is 44.1.
  CHECK(told->remedy == "Take a sensor that rejects 45 dB there, such as an isolated probe.");
  CHECK_FALSE(lifted(0.26));
  CHECK(lifted(0.36, 0, 1));
  // Where noise hides it nobody is told.
  CHECK(lifted(1, 0.2));
  CHECK_FALSE(lifted(1, 1.5));
}

TEST_CASE("a sensor's range is doubted where it ends and where little of it is used, whichever quantity", "[switching][doubts]") {
  const auto r = read(kAll);
  const auto told = [&](std::size_t place, const study::TraceErrors& errors, std::string_view key) {
    return doubt(with(r, [&](Shot& s) {
                   auto record = std::make_shared<study::Waveforms>(*s.record);
                   record->errors[place] = errors;
                   s.record = record;
                 }),
                 key);
  };
  // v_ds rests at 48 V and at 0 V, of which the first is the end of its range.
  const auto clipped = told(0, {.quantum = 0.1, .lowest = -50, .highest = 48, .range = 50}, "input.clipped");
  REQUIRE(clipped);
  CHECK(clipped->text == "v_ds stands at the end of what can be read, 48.0 V: what lies beyond is lost.");
  const auto below = told(2, {.quantum = 0.01, .lowest = -3, .highest = 50, .range = 50}, "input.clipped");
  REQUIRE(below);
  CHECK_THAT(below->text, Catch::Matchers::StartsWith("v_gs stands at the end of what can be read, "));
  CHECK_FALSE(told(0, {.quantum = 0.1, .lowest = -50, .highest = 50, .range = 50}, "input.clipped"));
  // Once, though it plays two roles.
  const auto twice = with(read(kAll, {{"wire.v_f", "v_ds"}}), [](Shot& s) {
    auto record = std::make_shared<study::Waveforms>(*s.record);
    record->errors[0] = {.quantum = 0.1, .lowest = -50, .highest = 48, .range = 50};
    s.record = record;
  });
  const auto all = doubts(twice);
  CHECK(std::count_if(all.begin(), all.end(), [](const study::Doubt& d) { return d.key == "input.clipped"; }) == 1);
  // A tenth of 470 V, and of 490 V.
  CHECK_FALSE(told(0, {.quantum = 2, .lowest = -470, .highest = 470, .range = 470}, "range.underused"));
  const auto little = told(0, {.quantum = 2.014, .lowest = -490, .highest = 490, .range = 490}, "range.underused");
  REQUIRE(little);
  CHECK(little->text == "v_ds uses 9.8 % of its range of 490 V: one count is 2.0 V.");
}

TEST_CASE("an edge of few samples, or as fast as its chain, is told from its bound on", "[switching][doubts]") {
  // Of the current: 80 ns of eight samples; four would be 40 ns.
  const auto few = [](double samples) {
    auto r = read(kAll);
    for (auto* e : {&*r.on, &*r.off}) {
      auto& f = e->found[std::size_t(e == &*r.on ? Key::rise_time : Key::fall_time)];
      f.to = f.from + samples * 10 * kNano;
    }
    for (const auto& d : doubts(r))
      if (d.key == "sampling.coarse" && d.text.find("i_d") != std::string::npos) return d.text;
    return std::string();
  };
  CHECK(few(4.01).empty());
  CHECK(few(3.94) == "The edge of i_d at turn-off has 3.9 samples: its times and the energy rest on straight lines between them.");
  // 80 ns against half again of 0.35 over the bandwidth: 6.5625 MHz.
  const auto chain = [](double bandwidth, const std::string& slowest = {}) {
    const auto r = with(read(kAll), [&](Shot& s) {
      s.of[std::size_t(Role::i_d)]->errors.bandwidth = bandwidth;
      s.of[std::size_t(Role::i_d)]->errors.slowest = slowest;
    });
    const auto d = doubt(r, "bandwidth.limits_edge");
    return d ? d->text : std::string();
  };
  CHECK(chain(6.65e6).empty());
  CHECK(chain(6.5e6) == "The edge of i_d at turn-off takes 80.2 ns; a chain of 6.50 MHz alone would take 53.8 ns.");
  CHECK_THAT(chain(6.5e6, "Clamp 40 A"), Catch::Matchers::Contains("; Clamp 40 A of 6.50 MHz alone"));
}

TEST_CASE("a zero is doubted by what is read before, or by what is known of it", "[switching][doubts]") {
  const auto r = read(kAll, {{"zero", "off"}});
  const auto told = [&](double before, double u) {
    return doubt(with(r, [&](Shot& s) { s.before = switching::Rest{before, u}; }), "offset.uncorrected", {{"zero", "off"}});
  };
  CHECK(told(0.3, 0.099));
  CHECK_FALSE(told(0.3, 0.101));
  CHECK(told(-0.3, 0.099));
  CHECK_FALSE(told(1e-9, 0));
  CHECK(told(0.3, 0)->text == "i_d reads 300 mA before the first pulse, where nothing flows.");
  CHECK(told(0.3, 0)->remedy == "Let it be zeroed by that: zero = on.");
  CHECK_FALSE(doubt(with(r, [](Shot& s) { s.before = switching::Rest{0.3, 0}; }), "offset.uncorrected"));
  CHECK_FALSE(doubt(with(r, [](Shot& s) { s.before.reset(); }), "offset.uncorrected", {{"zero", "off"}}));
  // A hundredth of the largest, 28.2 A.
  const auto known = [&](double u) {
    return doubt(with(read(kAll), [&](Shot& s) { s.of[std::size_t(Role::i_d)]->errors.u_offset = u; }), "offset.uncorrected");
  };
  CHECK(known(0.285));
  CHECK_FALSE(known(0.279));
  CHECK(known(2.82)->text == "The zero of i_d is known to 2.8 A, which is 10 % of its largest value.");
}

TEST_CASE("the worst known energy is the one that is told", "[switching][doubts]") {
  const auto r = read(kAll);
  study::Reading reading;
  const auto energy = [&](const char* key, const char* label, double value, std::optional<double> u) { reading.figures.push_back({.key = key, .label = label, .value = value, .unit = "J", .u = u}); };
  energy("energy.on", "Turn-on energy", 1e-5, 3e-7);
  energy("energy.off", "Turn-off energy", -1e-5, 5e-7);
  energy("energy.recovery", "Recovery energy", 1e-6, std::nullopt);
  const auto told = doubt(r, "noise.limited", {}, reading);
  REQUIRE(told);
  CHECK(told->text == "Turn-off energy is known to 5 % only.");
  CHECK(told->severity == study::Severity::note);
  CHECK(doubt(r, "noise.limited", {{"u_limit", "4.9 %"}}, reading));
  CHECK_FALSE(doubt(r, "noise.limited", {{"u_limit", "5.1 %"}}, reading));
  std::swap(reading.figures[0], reading.figures[1]);
  CHECK(doubt(r, "noise.limited", {}, reading)->text == "Turn-off energy is known to 5 % only.");
  reading.figures = {{.key = "energy.on", .label = "Turn-on energy", .value = 0, .unit = "J", .u = 1e-9}};
  CHECK_FALSE(doubt(r, "noise.limited", {}, reading));
}

TEST_CASE("two that are exchanged or turned are mended by settings that say so", "[switching][doubts]") {
  const auto swapped = doubt(with(read(kAll), [](Shot& s) { s.swapped = s.reversed = true; }), "wiring.swapped");
  REQUIRE(swapped);
  CHECK(swapped->remedy == "Exchange them: wire.v_ds = i_d, wire.i_d = v_ds.");
  CHECK(swapped->settings == study::Edits{{"wire.v_ds", "i_d"}, {"wire.i_d", "v_ds"}});
  CHECK_FALSE(doubt(with(read(kAll), [](Shot& s) { s.swapped = s.reversed = true; }), "wiring.sign"));
  CHECK(doubt(with(read(kAll), [](Shot& s) { s.reversed = true; }), "wiring.sign")->settings == study::Edits{{"wire.i_d", "-i_d"}});
  CHECK(doubt(with(read(kAll), [](Shot& s) { s.reversed = true; }), "wiring.sign")->remedy == "Turn it round: wire.i_d = -i_d.");
  // On top of how they are filled already.
  Lines scaled = kAll;
  scaled[1].first = "shunt";
  for (auto& [t, y] : scaled[1].second) y /= 100;
  const study::SettingsText wired = {{"wire.i_d", "100*shunt"}};
  CHECK(doubt(with(read(scaled, wired), [](Shot& s) { s.reversed = true; }), "wiring.sign", wired)->remedy == "Turn it round: wire.i_d = -100*shunt.");
}

TEST_CASE("of a current that never flows no share of its zero is told", "[switching][doubts]") {
  Lines none = kAll;
  none[1].second = {{0, 0}, {30, 0}};
  const auto r = with(read(none), [](Shot& s) { s.of[std::size_t(Role::i_d)]->errors.u_offset = 0.5; });
  CHECK_FALSE(doubt(r, "offset.uncorrected"));
}

}  // namespace switching_doubts
