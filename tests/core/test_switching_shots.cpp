#include <catch2/catch.hpp>
#include <cmath>

#include "switching_support.h"

using namespace heron;

/// Levels, events and the ramp of records of straight lines.
namespace switching_shots {

namespace switching = study::switching;

TEST_CASE("a shot's levels and events are those of its lines", "[switching]") {
  const auto s = test::shot_of({{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}, {"v_gs", test::kPulsesG}});
  CHECK(s->high == Approx(48).margin(0.05));
  CHECK(s->low == Approx(0).margin(0.05));
  REQUIRE(s->falls.size() == 2);
  REQUIRE(s->rises.size() == 2);
  CHECK(s->falls[0] == Approx(5.025 * test::kMicro));
  CHECK(s->falls[1] == Approx(20.025 * test::kMicro));
  CHECK(s->rises[0] == Approx(15.025 * test::kMicro));
  CHECK(s->rises[1] == Approx(24.025 * test::kMicro));
  REQUIRE(s->before);
  CHECK(s->before->value == Approx(0.2));
  CHECK_FALSE(s->reversed);
  CHECK_FALSE(s->swapped);
  REQUIRE(s->off);
  CHECK_FALSE(s->off->on);
  CHECK(s->off->at == Approx(15.025 * test::kMicro));
  CHECK(s->off->bus.value == Approx(48));
  // The line of the ramp, at the event: 2 A/us over 10.025 us.
  CHECK(s->off->load.value == Approx(20.05));
  // The passage of half of what flowed on the mean from 12.025 to 14.525 us: 16.55 A.
  CHECK(s->off->current_at == Approx((15.05 + 0.1 * (20 - 16.55 / 2) / 20) * test::kMicro).margin(2e-9));
  CHECK(s->off->from == Approx((5.025 + 15.025) / 2 * test::kMicro));
  CHECK(s->off->to == Approx((15.025 + 20.025) / 2 * test::kMicro));
  REQUIRE(s->off->gate_low);
  CHECK(s->off->gate_low->value == Approx(-3));
  CHECK(s->off->gate_high->value == Approx(12));
  REQUIRE(s->on);
  CHECK(s->on->on);
  CHECK(s->on->at == Approx(20.025 * test::kMicro));
  CHECK(s->on->bus.value == Approx(48));
  CHECK(s->on->load.value == Approx(20.05));
  CHECK(s->on->load_slope == Approx(2 / test::kMicro));
  CHECK(s->on->gate_low->value == Approx(-3));
  CHECK(s->on->gate_high->value == Approx(12));
  REQUIRE(s->ramp);
  CHECK(s->ramp->slope_first == Approx(2 / test::kMicro));
  CHECK(s->ramp->slope_last == Approx(2 / test::kMicro));
  CHECK(s->ramp->from == Approx(5.025 * test::kMicro));
}

TEST_CASE("levels that are set, a zero that stays and a skew are taken as said", "[switching]") {
  const test::Lines all = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}};
  const auto plain = test::shot_of(all, {{"zero", "off"}});
  CHECK(plain->before->value == Approx(0.2));
  CHECK(plain->off->load.value == Approx(20.25));
  const auto set = test::shot_of(all, {{"v_bus", "50 V"}, {"i_load", "19 A"}});
  CHECK(set->off->bus.value == 50);
  CHECK(set->on->load.value == 19);
  const auto late = test::shot_of(all, {{"skew", "40 ns"}});
  CHECK(test::shot_of(all)->off->current_at - late->off->current_at == Approx(40e-9).margin(2e-9));
  CHECK(late->get(switching::Role::i_d).earlier == 40e-9);
  // Turned round, scaled and named otherwise.
  test::Corners turned = test::kPulsesI;
  for (auto& [t, y] : turned) y *= -0.1;
  const auto wired = test::shot_of({{"v_ds", test::kPulsesV}, {"shunt", turned}}, {{"wire.i_d", "-10*shunt"}});
  CHECK(wired->off->load.value == Approx(20.05));
  CHECK(wired->get(switching::Role::i_d).factor == -10);
  const auto wrong = test::shot_of({{"v_ds", test::kPulsesV}, {"i_d", turned}});
  CHECK(wrong->reversed);
  REQUIRE_FALSE(wrong->off);
  CHECK(wrong->off.error() == "i_d runs the wrong way");
}

TEST_CASE("what is cut off a record is missing with its reason", "[switching]") {
  const test::Lines all = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}};
  const auto first = test::shot_of(all, {{"to", "12 us"}});
  REQUIRE_FALSE(first->off);
  CHECK(first->off.error() == "v_ds does not rise: the first pulse does not end within the record");
  const auto off_only = test::shot_of(all, {{"to", "18 us"}});
  CHECK(off_only->off);
  // Its first pulse turns on before any current flows: that is no turn-on under load.
  REQUIRE_FALSE(off_only->on);
  CHECK(test::spaced(off_only->on.error()) == "i_d carries 50 mA when v_ds falls, of 20 A at most: no load current is taken over");
  CHECK_FALSE(first->on);
  // Where the load is told, it is taken as said.
  CHECK(test::shot_of(all, {{"to", "18 us"}, {"i_load", "10 A"}})->on);
  const auto on_only = test::shot_of(all, {{"from", "16 us"}, {"to", "23 us"}});
  CHECK(on_only->on);
  REQUIRE_FALSE(on_only->off);
  const auto flat = test::shot_of(all, {{"from", "6 us"}, {"to", "14 us"}});
  REQUIRE_FALSE(flat->off);
  CHECK(flat->off.error() == "v_ds does not go from one level to another");
  CHECK(flat->on.error() == "v_ds does not go from one level to another");
  // A first pulse that carries nothing ends no event; what the second one ends is the turn-off.
  const auto idle = test::shot_of({{"v_ds", test::kPulsesV}, {"i_d", {{0, 0}, {19.9, 0}, {20, 20}, {24.05, 28}, {24.15, 0}, {30, 0}}}});
  REQUIRE(idle->off);
  CHECK(idle->off->at == Approx(24.025 * test::kMicro));
  REQUIRE_FALSE(idle->on);
  CHECK(test::spaced(idle->on.error()) == "i_d carries 0.0 A while the device is on, of 28 A at most: there is no load current");
  // Sixteen samples are looked at, fifteen are not.
  CHECK(switching::read_shot(test::record_of(all, 0.15), {}));
  const auto short_one = switching::read_shot(test::record_of(all, 0.14), {});
  REQUIRE_FALSE(short_one);
  CHECK(short_one.error().message == "A shot of 15 samples tells nothing.");
  const auto nowhere = switching::read_shot(test::record_of({{"v_ds", test::kPulsesV}}), {});
  REQUIRE_FALSE(nowhere);
  CHECK(nowhere.error().message == "There is no quantity i_d: name one so, or say which it is, such as wire.i_d = v_switch.");
}

TEST_CASE("levels may lie anywhere, as long as they stand apart", "[switching]") {
  test::Lines lifted = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}};
  for (auto& [t, y] : lifted[0].second) y += 100;
  const auto s = test::shot_of(lifted, {{"v_bus", "48 V"}});
  CHECK(s->high == Approx(148).margin(0.1));
  CHECK(s->low == Approx(100).margin(0.1));
  REQUIRE(s->rises.size() == 2);
  CHECK(s->rises[0] == Approx(15.025 * test::kMicro));
  // Levels that stand apart by less than eight times their noise are one: it alternates by 0.1 V, which is a noise of 0.115 V.
  const auto noisy = [](double swing) {
    auto record = std::make_shared<study::Waveforms>(*test::record_of({{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}}));
    std::vector<double> v(record->traces[0]->size());
    REQUIRE(record->traces[0]->read(0, v));
    for (std::size_t k = 0; k < v.size(); ++k) v[k] = 1000 + v[k] / 48 * swing + (k % 2 ? 0.1 : -0.1);
    record->traces[0] = study::trace_of("v_ds", "V", record->traces[0]->time, std::move(v));
    return (*switching::read_shot(record, {}))->rises.size();
  };
  CHECK(noisy(1.2) == 2);
  CHECK(noisy(0.8) == 0);
}

TEST_CASE("a gate rests at two levels where they stand apart by eight times its noise", "[switching]") {
  const auto rests = [](double swing) {
    auto record = std::make_shared<study::Waveforms>(*test::record_of({{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}, {"v_gs", test::kPulsesG}}));
    std::vector<double> g(record->traces[2]->size());
    REQUIRE(record->traces[2]->read(0, g));
    for (std::size_t k = 0; k < g.size(); ++k) g[k] = g[k] / 15 * swing + (k % 2 ? 0.1 : -0.1);
    record->traces[2] = study::trace_of("v_gs", "V", record->traces[2]->time, std::move(g));
    const auto shot = *switching::read_shot(record, {});
    REQUIRE(shot->off);
    REQUIRE(shot->on);
    CHECK(shot->off->gate_low.has_value() == shot->off->gate_high.has_value());
    CHECK(shot->off->gate_low.has_value() == shot->on->gate_low.has_value());
    return shot->off->gate_low.has_value();
  };
  // 0.1/sqrt(0.76) is 0.1147: eight times that is 0.918.
  CHECK(rests(0.95));
  CHECK_FALSE(rests(0.89));
}

TEST_CASE("the bus before a turn-on is read until the event and four samples before it", "[switching]") {
  // Voltage and current pass their middles together, at 20.025 us.
  test::Lines lines = {{"v_ds", test::kPulsesV}, {"i_d", {{0, 0}, {5, 0}, {15, 20}, {15.05, 20}, {15.15, 0}, {20, 0}, {20.05, 20}, {24, 20}, {24.05, 20}, {24.15, 0}, {30, 0}}}};
  const auto bus = [&](int samples_before) {
    auto record = std::make_shared<study::Waveforms>(*test::record_of(lines));
    std::vector<double> v(record->traces[0]->size());
    REQUIRE(record->traces[0]->read(0, v));
    v[std::size_t(2002 - samples_before)] += 10;
    record->traces[0] = study::trace_of("v_ds", "V", record->traces[0]->time, std::move(v));
    const auto shot = *switching::read_shot(record, {});
    REQUIRE(shot->on);
    return shot->on->bus.value;
  };
  CHECK(bus(2) == Approx(48).margin(1e-9));
  CHECK(bus(3) == Approx(48).margin(1e-9));
  CHECK(bus(4) > 48.02);
  CHECK(bus(100) > 48.02);
}

}  // namespace switching_shots
