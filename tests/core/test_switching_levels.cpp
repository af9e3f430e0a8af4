#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/switching/exchanged.h"
#include "study/switching/levels.h"
#include "switching_support.h"

using namespace heron;

/// What fills a role, and what it rests at.
namespace switching_levels {
namespace {

namespace switching = study::switching;
using switching::Role;

/// A sample a second.
study::TracePtr trace(std::vector<double> y, double start = 0) { return study::trace_of("x", "A", study::TimeBase(start, 1), std::move(y)); }

switching::Sensed sensed(std::vector<double> y) {
  switching::Sensed out;
  out.trace = trace(std::move(y));
  return out;
}
std::optional<switching::Rest> rest(const switching::Sensed& s, double from, double to) {
  auto out = switching::rest_of(s, from, to);
  if (!out) FAIL(out.error().message);
  return *out;
}
std::optional<signal::LineAt> line(const switching::Sensed& s, double from, double to, double at) {
  auto out = switching::line_of(s, from, to, at);
  if (!out) FAIL(out.error().message);
  return *out;
}
std::optional<signal::States> states(std::vector<double> y) {
  const auto t = trace(std::move(y));
  auto out = switching::states_of(*t, {0, t->size()});
  if (!out) FAIL(out.error().message);
  return *out;
}

}  // namespace

TEST_CASE("the samples within two times are those at or between them", "[switching]") {
  const auto t = trace(std::vector<double>(10, 0.0), 100);
  const auto over = [&](double from, double to) {
    const auto s = switching::within(*t, from, to);
    return std::pair{s.first, s.last};
  };
  using Two = std::pair<std::size_t, std::size_t>;
  CHECK(over(102, 105) == Two{2, 6});
  CHECK(over(101.5, 105.5) == Two{2, 6});
  CHECK(over(102.5, 102.9).first >= over(102.5, 102.9).second);
  CHECK(over(0, 101) == Two{0, 2});
  CHECK(over(108, 999) == Two{8, 10});
  CHECK(over(-INFINITY, INFINITY) == Two{0, 10});
  CHECK(over(200, 300) == Two{10, 10});
  CHECK(over(105, 102) == Two{5, 5});
  CHECK(over(0, 50) == Two{0, 0});
}

TEST_CASE("what rests is the mean of its samples, known by how they scatter", "[switching]") {
  auto s = sensed({9, 1, 3, 1, 3, 9});
  const auto plain = rest(s, 1, 4);
  REQUIRE(plain);
  CHECK(plain->value == 2);
  // Four squares of 1 over 3.
  CHECK(plain->u == Approx(std::sqrt(4.0 / 3 / 4)));
  s.together = 4;
  CHECK(rest(s, 1, 4)->u == Approx(2 * std::sqrt(4.0 / 3 / 4)));
  CHECK(rest(s, 1, 2)->value == 2);
  CHECK_FALSE(rest(s, 1, 1));
  CHECK_FALSE(rest(s, 20, 30));
  SECTION("rounding errs alike in all of them unless noise moves them") {
    auto still = sensed(std::vector<double>(100, 2.0));
    CHECK(rest(still, 0, 99)->u == 0);
    still.errors.quantum = 0.5;
    // The first wave of the rounding error, as a deviation: q/pi over the root of two.
    CHECK(rest(still, 0, 99)->u == Approx(0.5 / std::numbers::pi / std::numbers::sqrt2));
    s.together = 1;
    s.errors.quantum = 0.5;
    // Scatter of more than two counts leaves nothing of it.
    CHECK(rest(s, 1, 4)->u == Approx(std::sqrt(4.0 / 3 / 4)).epsilon(1e-6));
  }
  SECTION("of many samples the last 8192 are looked at") {
    std::vector<double> y(10'000, 5.0);
    y[10'000 - 8193] = 1e6;
    CHECK(rest(sensed(y), 0, 1e6)->value == 5);
    y[10'000 - 8192] = 1e6;
    CHECK(rest(sensed(y), 0, 1e6)->value > 100);
    CHECK(rest(sensed(y), 0, 9'998)->value > 200);
  }
}

TEST_CASE("a line through its samples is read wherever it is asked", "[switching]") {
  auto s = sensed({50, 1, 3, 5, 7, 50});
  const auto up = line(s, 1, 4, 10);
  REQUIRE(up);
  CHECK(up->value == Approx(19));
  CHECK(up->slope == Approx(2));
  CHECK(up->u == Approx(0).margin(1e-12));
  CHECK(line(s, 1, 4, 0)->value == Approx(-1));
  CHECK_FALSE(line(s, 1, 3, 0));
  // Residuals of 1, -1, -1, 1 at a middle of 2.5: see the line itself.
  auto wavy = sensed({0, 1, -1, -1, 1, 0});
  CHECK(line(wavy, 1, 4, 1)->u == Approx(std::hypot(std::sqrt(2.0) / 2, std::sqrt(2.0 / 5) * 1.5)));
  wavy.together = 9;
  CHECK(line(wavy, 1, 4, 2.5)->u == Approx(3 * std::sqrt(2.0) / 2));
  std::vector<double> y(10'000, 5.0);
  y[10'000 - 8193] = 1e6;
  CHECK(line(sensed(y), 0, 1e6, 0)->slope == Approx(0).margin(1e-12));
}

TEST_CASE("two levels are found where most samples gather, or in the middle of either half", "[switching]") {
  std::vector<double> two, triangle;
  for (int k = 0; k < 8192; ++k) {
    two.push_back(k < 3000 ? 1 : 48);
    triangle.push_back(k < 4096 ? k / 40.96 : (8192 - k) / 40.96);
  }
  const auto levels = states(two);
  REQUIRE(levels);
  CHECK(levels->low.level == Approx(1).margin(0.05));
  CHECK(levels->high.level == Approx(48).margin(0.05));
  // What is at every value alike rests nowhere.
  const auto halves = states(triangle);
  REQUIRE(halves);
  CHECK(halves->low.level == Approx(25).margin(0.2));
  CHECK(halves->high.level == Approx(75).margin(0.2));
  // Fewer than one in a hundred do not move what is half way.
  auto spiky = triangle;
  for (int k = 0; k < 40; ++k) {
    spiky[std::size_t(200 * k)] = 1000;
    spiky[std::size_t(200 * k + 1)] = -1000;
  }
  const auto same = states(spiky);
  REQUIRE(same);
  CHECK(same->low.level == Approx(25).margin(1));
  CHECK(same->high.level == Approx(75).margin(1));
  CHECK_FALSE(states(std::vector<double>(8192, 3.0)));
  // Of a part of a trace only that counts.
  auto t = trace(two);
  CHECK_FALSE(*switching::states_of(*t, {0, 3000}));
  CHECK(*switching::states_of(*t, {0, 3300}));
}

TEST_CASE("what fills a role is turned, scaled and moved as the settings say", "[switching]") {
  std::mt19937_64 random(4);
  std::vector<double> y;
  for (int k = 0; k < 4000; ++k) y.push_back(10 + normal_deviate(random));
  study::Waveforms record;
  for (const auto* name : {"i_d", "v_ds", "shunt"}) {
    record.traces.push_back(study::trace_of(name, "A", study::TimeBase(0, 1e-9), y));
    record.errors.push_back({.u_gain = 0.01, .u_offset = 0.2, .quantum = 0.1, .lowest = -3, .highest = 5, .range = 8});
  }
  const auto fill = [&](Role role, const study::SettingsText& text) { return switching::sensed(record, role, test::switching_settings(text)); };
  const auto plain = fill(Role::i_d, {});
  REQUIRE(plain);
  REQUIRE(*plain);
  CHECK((*plain)->trace == record.traces[0]);
  CHECK((*plain)->place == 0);
  CHECK((*plain)->factor == 1);
  CHECK((*plain)->noise == Approx(1).epsilon(0.08));
  CHECK((*plain)->together == Approx(1).margin(0.1));
  CHECK_FALSE(*fill(Role::v_gs, {}));
  const auto turned = **fill(Role::i_d, {{"wire.i_d", "-2*shunt"}, {"skew", "5 ns"}});
  CHECK(turned.place == 2);
  CHECK(turned.factor == -2);
  CHECK(turned.earlier == 5e-9);
  CHECK(turned.trace->time.at(0) == Approx(-5e-9));
  CHECK(turned.trace->size() == 4000);
  CHECK(turned.trace->name == "shunt");
  std::vector<double> of(3);
  REQUIRE(turned.trace->read(7, of));
  CHECK(of == std::vector<double>{-2 * y[7], -2 * y[8], -2 * y[9]});
  CHECK_FALSE(turned.trace->read(3999, of));
  CHECK(turned.errors.u_gain == 0.01);
  CHECK(turned.errors.u_offset == 0.4);
  CHECK(turned.errors.quantum == 0.2);
  CHECK(*turned.errors.range == 16);
  CHECK(*turned.errors.lowest == -10);
  CHECK(*turned.errors.highest == 6);
  CHECK(turned.noise == Approx(2).epsilon(0.08));
  // A skew is the current's alone.
  CHECK((*fill(Role::v_ds, {{"skew", "5 ns"}}))->trace == record.traces[1]);
  CHECK((*fill(Role::v_ds, {{"skew", "5 ns"}}))->earlier == 0);
  const auto missing = fill(Role::v_gs, {{"wire.v_gs", "gate"}});
  REQUIRE_FALSE(missing);
  CHECK(missing.error().message == "wire.v_gs: there is no quantity \"gate\".");
  SECTION("what rests is known to a count, whatever its noise") {
    record.traces[0] = study::trace_of("i_d", "A", study::TimeBase(0, 1e-9), std::vector<double>(4000, 3.0));
    CHECK((*fill(Role::i_d, {}))->noise == Approx(0.1 / std::sqrt(12.0)));
  }
  SECTION("uneven times are moved one by one") {
    auto times = std::make_shared<std::vector<double>>();
    for (int k = 0; k < 4000; ++k) times->push_back(1e-9 * (k + (k % 2) * 0.3));
    record.traces[0] = study::trace_of("i_d", "A", study::TimeBase(std::shared_ptr<const std::vector<double>>(times)), y);
    const auto moved = **fill(Role::i_d, {{"skew", "5 ns"}});
    CHECK(moved.trace->time.at(3) == Approx(-1.7e-9));
    CHECK(moved.trace->time.at(4) == Approx(-1e-9));
  }
  SECTION("a short record says nothing of its noise") {
    record.traces[0] = study::trace_of("i_d", "A", study::TimeBase(0, 1e-9), std::vector<double>(y.begin(), y.begin() + 31));
    CHECK((*fill(Role::i_d, {}))->noise == 0);
    record.traces[0] = study::trace_of("i_d", "A", study::TimeBase(0, 1e-9), std::vector<double>(y.begin(), y.begin() + 32));
    CHECK((*fill(Role::i_d, {}))->noise > 0.3);
  }
  SECTION("another zero is taken off, and known as it is said") {
    const auto z = switching::zeroed(turned, -3, 0.05);
    CHECK(z.zero == -3);
    CHECK(z.errors.u_offset == 0.05);
    CHECK(z.trace->time.at(0) == Approx(-5e-9));
    REQUIRE(z.trace->read(7, of));
    CHECK(of[0] == Approx(-2 * y[7] + 3));
    CHECK(switching::zeroed(z, 1, 0).zero == -2);
  }
}

TEST_CASE("roles have their names and units", "[switching]") {
  CHECK(switching::all_roles() == "v_ds, i_d, v_gs, v_f, i_f");
  CHECK(switching::role_unit(Role::v_ds) == "V");
  CHECK(switching::role_unit(Role::i_d) == "A");
  CHECK(switching::role_unit(Role::v_gs) == "V");
  CHECK(switching::role_unit(Role::v_f) == "V");
  CHECK(switching::role_unit(Role::i_f) == "A");
  CHECK(switching::is_role("v_gs"));
  CHECK_FALSE(switching::is_role("v"));
}

namespace {

/// v_ds high until 100 s, low until 400 s, high until 600 s; both by straight lines, a sample a second.
switching::Shot shot(const std::function<double(double)>& v, const std::function<double(double)>& i, const std::function<double(double)>& gate = {}) {
  switching::Shot out{.from = 0, .to = 600, .high = 50, .low = 0, .falls = {100}, .rises = {400}};
  const auto fill = [&](Role role, const std::function<double(double)>& f) {
    std::vector<double> y;
    for (int k = 0; k <= 600; ++k) y.push_back(f(k));
    out.of[std::size_t(role)] = sensed(std::move(y));
  };
  fill(Role::v_ds, v);
  fill(Role::i_d, i);
  if (gate) fill(Role::v_gs, gate);
  return out;
}
bool look_exchanged(const switching::Shot& s, double largest = 10) {
  const auto out = switching::exchanged(s, largest);
  if (!out) FAIL(out.error().message);
  return *out;
}

}  // namespace

TEST_CASE("voltage and current that are exchanged are told by the gate, or by what climbs", "[switching]") {
  const auto bus = [](double climbs) { return [climbs](double t) { return t < 100 ? 50 : t < 400 ? 0 : 40 + climbs * (t - 400); }; };
  const auto load = [](double climbs) { return [climbs](double t) { return t < 100 || t > 400 ? 0 : 5 + climbs * (t - 100); }; };
  const auto gate = [](double sign) { return [sign](double t) { return sign * (t < 100 || t > 400 ? -4 : 12); }; };
  CHECK_FALSE(look_exchanged(shot(bus(0), load(0.01), gate(1))));
  CHECK(look_exchanged(shot(bus(0), load(0.01), gate(-1))));
  CHECK_FALSE(look_exchanged(shot(bus(0.1), load(0), gate(1))));
  // A gate that follows neither says nothing, and what climbs tells.
  const auto wave = [](double t) { return std::sin(t); };
  CHECK(look_exchanged(shot(bus(0.1), load(0), wave)));
  // 0.08 of the swing of 50 V over 70 % of 200 s.
  CHECK(look_exchanged(shot(bus(0.0290), load(0))));
  CHECK_FALSE(look_exchanged(shot(bus(0.0282), load(0))));
  CHECK_FALSE(look_exchanged(shot(bus(-0.1), load(0))));
  // Where the load's current climbs a third as much of its own as well, it is no bus: 14 V of 50 V is 0.28.
  CHECK(look_exchanged(shot(bus(0.1), load(0.0044))));
  CHECK_FALSE(look_exchanged(shot(bus(0.1), load(0.0045))));
  CHECK_FALSE(look_exchanged(shot(bus(0.1), load(-0.0045))));
  CHECK_FALSE(look_exchanged(shot(bus(0.1), load(0)), 0));
  CHECK(look_exchanged(shot(bus(0.1), load(0)), 0.5));
  // Only what is analysed tells: until 250 s the gate goes with v_ds, after that against it.
  auto part = shot([](double t) { return t < 100 || t > 400 ? 50 : 0; }, load(0.01), [](double t) { return (t < 250) == (t < 100) ? 12 : -4; });
  CHECK(look_exchanged([&] { auto s = part; s.to = 250; return s; }()));
  CHECK_FALSE(look_exchanged([&] { auto s = part; s.from = 250; return s; }()));
  // From 100 to 300 s the gate goes against v_ds; what is after that is larger, and goes with it.
  auto within = shot([](double t) { return t < 200 || t > 400 ? 50 : 0; }, load(0.01), [](double t) { return t < 300 ? (t < 200 ? -4 : 12) : t < 400 ? -40 : 120; });
  within.falls = {200};
  CHECK(look_exchanged(within));
  within.from = 100;
  within.to = 300;
  CHECK_FALSE(look_exchanged(within));
  // What climbs must stand out of its noise.
  std::mt19937_64 random(8);
  const auto noisy = [&](double t) { return bus(0.04)(t) + 30 * normal_deviate(random); };
  CHECK_FALSE(look_exchanged(shot(noisy, load(0))));
  // With too few samples of either nothing is said.
  auto brief = shot(bus(0.1), load(0));
  brief.rises = {597};
  CHECK_FALSE(look_exchanged(brief));
}

TEST_CASE("a gate tells from half a correlation on", "[switching]") {
  // Between 100 and 400 s v_ds is low; a wave of 20 s goes with nothing. The gate has so much of either.
  const auto bus = [](double t) { return t < 100 || t > 400 ? 50.0 : 0.0; };
  const auto load = [](double t) { return t < 100 || t > 400 ? 0.0 : 5 + 0.01 * (t - 100); };
  const auto gate = [&](double share) { return [=](double t) { return share * (bus(t) / 25 - 1) + std::sqrt(1 - share * share) * (std::fmod(t, 20) < 10 ? 1 : -1); }; };
  CHECK_FALSE(look_exchanged(shot(bus, load, gate(0.4))));
  CHECK(look_exchanged(shot(bus, load, gate(0.65))));
  const auto climbing = [](double t) { return t < 100 ? 50 : t < 400 ? 0 : 40 + 0.1 * (t - 400); };
  CHECK_FALSE(look_exchanged(shot(climbing, [](double t) { return t < 100 || t > 400 ? 0.0 : 5.0; }, gate(-0.65))));
  CHECK(look_exchanged(shot(climbing, [](double t) { return t < 100 || t > 400 ? 0.0 : 5.0; }, gate(-0.4))));
  // Levels may lie on either side of nothing: what climbs is held against their distance, 0.08 of 50 V.
  const auto about_zero = [&](double climbs) {
    auto s = shot([=](double t) { return t < 100 ? 25 : t < 400 ? -25 : 15 + climbs * (t - 400); }, [](double t) { return t < 100 || t > 400 ? 0.0 : 5.0; });
    s.high = 25;
    s.low = -25;
    return look_exchanged(s);
  };
  CHECK(about_zero(0.0290));
  CHECK_FALSE(about_zero(0.0282));
}

TEST_CASE("the longest stretch tells what climbs, at the beginning, between or at the end", "[switching]") {
  // Blocked from 0 to 300 s, where it climbs; then switched quickly.
  auto s = shot([](double t) { return t < 300 ? 40 + 0.1 * t : t < 400 ? 0 : t < 500 ? 50 : 0; }, [](double t) { return t < 300 || (t > 400 && t < 500) ? 0 : 5; });
  s.falls = {300, 500};
  s.rises = {400};
  CHECK(look_exchanged(s));
  // Blocked longest between two pulses.
  auto between = shot([](double t) { return t < 50 ? 50 : t < 150 ? 0 : t < 450 ? 40 + 0.1 * (t - 150) : 0; }, [](double t) { return t < 50 || (t > 150 && t < 450) ? 0 : 5; });
  between.falls = {50, 450};
  between.rises = {150};
  CHECK(look_exchanged(between));
}

}  // namespace switching_levels
