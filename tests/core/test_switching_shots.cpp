#include <catch2/catch.hpp>
#include <cmath>

#include "study/switching/shot.h"
#include "support.h"

using namespace heron;

/// Levels, events and the ramp of records of straight lines.
namespace switching_shots {
namespace {

namespace switching = study::switching;

constexpr double kMicro = 1e-6, kStep = 10e-9;
using Corners = std::vector<std::pair<double, double>>;  ///< us and a value

double on_line(const Corners& c, double us) {
  for (std::size_t k = 1; k < c.size(); ++k)
    if (us <= c[k].first) return c[k - 1].second + (c[k].second - c[k - 1].second) * (us - c[k - 1].first) / (c[k].first - c[k - 1].first);
  return c.back().second;
}

/// Pulses from 5 to 15 us and from 20 to 24 us on a bus of 48 V.
const Corners kV = {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {20, 48}, {20.05, 0}, {24, 0}, {24.05, 48}, {30, 48}};
/// 2 A/us while it is on, with 0.2 A that its zero is off by.
const Corners kI = {{0, 0.2}, {5, 0.2}, {15, 20.2}, {15.05, 20.2}, {15.15, 0.2}, {19.9, 0.2}, {20, 20.2}, {24, 28.2}, {24.05, 28.2}, {24.15, 0.2}, {30, 0.2}};
const Corners kG = {{0, -3}, {4.9, -3}, {5, 12}, {14.9, 12}, {15, -3}, {19.8, -3}, {19.9, 12}, {23.9, 12}, {24, -3}, {30, -3}};

study::WaveformsPtr record(const std::vector<std::pair<std::string, Corners>>& all) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record r{.sample_rate = 1 / kStep};
  for (const auto& [role, corners] : all) {
    study::Channel c{.role = role, .unit = role[0] == 'v' ? "V" : "A"};
    for (int k = 0; k <= 3000; ++k) c.numbers.push_back(on_line(corners, 0.01 * k));
    r.channels.push_back(std::move(c));
  }
  point.records.push_back(std::move(r));
  auto out = switching::waveforms_of(point, {});
  if (!out) FAIL(out.error().message);
  return *out;
}
switching::ShotPtr shot(const std::vector<std::pair<std::string, Corners>>& all, const study::SettingsText& text = {}) {
  const auto settings = switching::settings_from_text(text);
  if (!settings) FAIL(settings.error().message);
  auto out = switching::read_shot(record(all), *settings);
  if (!out) FAIL(out.error().message);
  return *out;
}

}  // namespace

TEST_CASE("a shot's levels and events are those of its lines", "[switching]") {
  const auto s = shot({{"v_ds", kV}, {"i_d", kI}, {"v_gs", kG}});
  CHECK(s->high == Approx(48).margin(0.05));
  CHECK(s->low == Approx(0).margin(0.05));
  REQUIRE(s->falls.size() == 2);
  REQUIRE(s->rises.size() == 2);
  CHECK(s->falls[0] == Approx(5.025 * kMicro));
  CHECK(s->falls[1] == Approx(20.025 * kMicro));
  CHECK(s->rises[0] == Approx(15.025 * kMicro));
  CHECK(s->rises[1] == Approx(24.025 * kMicro));
  REQUIRE(s->before);
  CHECK(s->before->value == Approx(0.2));
  CHECK_FALSE(s->reversed);
  CHECK_FALSE(s->swapped);
  REQUIRE(s->off);
  CHECK_FALSE(s->off->on);
  CHECK(s->off->at == Approx(15.025 * kMicro));
  CHECK(s->off->bus.value == Approx(48));
  // The line of the ramp, at the event: 2 A/us over 10.025 us.
  CHECK(s->off->load.value == Approx(20.05));
  // The passage of half of what flowed on the mean from 12.025 to 14.525 us: 16.55 A.
  CHECK(s->off->current_at == Approx((15.05 + 0.1 * (20 - 16.55 / 2) / 20) * kMicro).margin(2e-9));
  CHECK(s->off->from == Approx((5.025 + 15.025) / 2 * kMicro));
  CHECK(s->off->to == Approx((15.025 + 20.025) / 2 * kMicro));
  REQUIRE(s->off->gate_low);
  CHECK(s->off->gate_low->value == Approx(-3));
  CHECK(s->off->gate_high->value == Approx(12));
  REQUIRE(s->on);
  CHECK(s->on->on);
  CHECK(s->on->at == Approx(20.025 * kMicro));
  CHECK(s->on->bus.value == Approx(48));
  CHECK(s->on->load.value == Approx(20.05));
  CHECK(s->on->gate_low->value == Approx(-3));
  CHECK(s->on->gate_high->value == Approx(12));
  REQUIRE(s->ramp);
  CHECK(s->ramp->slope_first == Approx(2 / kMicro));
  CHECK(s->ramp->slope_last == Approx(2 / kMicro));
  CHECK(s->ramp->from == Approx(5.025 * kMicro));
}

TEST_CASE("levels that are set, a zero that stays and a skew are taken as said", "[switching]") {
  const std::vector<std::pair<std::string, Corners>> all = {{"v_ds", kV}, {"i_d", kI}};
  const auto plain = shot(all, {{"zero", "off"}});
  CHECK(plain->before->value == Approx(0.2));
  CHECK(plain->off->load.value == Approx(20.25));
  const auto set = shot(all, {{"v_bus", "50 V"}, {"i_load", "19 A"}});
  CHECK(set->off->bus.value == 50);
  CHECK(set->on->load.value == 19);
  const auto late = shot(all, {{"skew", "40 ns"}});
  CHECK(shot(all)->off->current_at - late->off->current_at == Approx(40e-9).margin(2e-9));
  CHECK(late->get(switching::Role::i_d).earlier == 40e-9);
  // Turned round, scaled and named otherwise.
  Corners turned = kI;
  for (auto& [t, y] : turned) y *= -0.1;
  const auto wired = shot({{"v_ds", kV}, {"shunt", turned}}, {{"wire.i_d", "-10*shunt"}});
  CHECK(wired->off->load.value == Approx(20.05));
  CHECK(wired->get(switching::Role::i_d).factor == -10);
  const auto wrong = shot({{"v_ds", kV}, {"i_d", turned}});
  CHECK(wrong->reversed);
  REQUIRE_FALSE(wrong->off);
  CHECK(wrong->off.error() == "i_d runs the wrong way");
}

TEST_CASE("what is cut off a record is missing with its reason", "[switching]") {
  const std::vector<std::pair<std::string, Corners>> all = {{"v_ds", kV}, {"i_d", kI}};
  const auto first = shot(all, {{"to", "12 us"}});
  REQUIRE_FALSE(first->off);
  CHECK(first->off.error() == "v_ds does not rise: the first pulse does not end within the record");
  const auto off_only = shot(all, {{"to", "18 us"}});
  CHECK(off_only->off);
  const auto on_only = shot(all, {{"from", "16 us"}, {"to", "23 us"}});
  CHECK(on_only->on);
  REQUIRE_FALSE(on_only->off);
  const auto flat = shot(all, {{"from", "6 us"}, {"to", "14 us"}});
  REQUIRE_FALSE(flat->off);
  CHECK(flat->off.error() == "v_ds does not go from one level to another");
  CHECK(flat->on.error() == "v_ds does not go from one level to another");
  // A first pulse that carries nothing ends no event; what the second one ends is the turn-off.
  const auto idle = shot({{"v_ds", kV}, {"i_d", {{0, 0}, {19.9, 0}, {20, 20}, {24.05, 28}, {24.15, 0}, {30, 0}}}});
  REQUIRE(idle->off);
  CHECK(idle->off->at == Approx(24.025 * kMicro));
  REQUIRE_FALSE(idle->on);
  CHECK(test::spaced(idle->on.error()) == "i_d carries 0.0 A while the device is on, of 28 A at most: there is no load current");
  const auto nowhere = switching::read_shot(record({{"v_ds", kV}}), {});
  REQUIRE_FALSE(nowhere);
  CHECK(nowhere.error().message == "There is no quantity i_d: name one so, or say which it is, such as wire.i_d = v_switch.");
}

}  // namespace switching_shots
