#include <cmath>

#include "switching_support.h"

using namespace heron;

/// Which samples a level, a slope or a skew rests on: a hair on one of them moves it, a hair on any other does not.
namespace switching_windows {
namespace {

namespace switching = study::switching;
using switching::Event;
using switching::Shot;
using test::kMicro;
using test::kNano;
using test::Lines;

enum Channel : std::size_t { voltage, current, gate };

switching::ShotPtr with_hair(const Lines& lines, Channel channel, int sample, const study::SettingsText& text, double last) {
  auto record = std::make_shared<study::Waveforms>(*test::record_of(lines, last));
  if (sample >= 0) {
    auto& trace = record->traces[channel];
    std::vector<double> y(trace->size());
    REQUIRE(trace->read(0, y));
    // Towards the middle, so that what is highest and lowest stays so.
    y.at(std::size_t(sample)) += y[std::size_t(sample)] > 5 ? -1e-3 : 1e-3;
    trace = study::trace_of(trace->name, trace->unit, trace->time, std::move(y));
  }
  auto out = switching::read_shot(record, test::switching_settings(text));
  if (!out) FAIL(out.error().message);
  return *out;
}

/// Holds that it rests on the samples from the first to the last, and on none beside them.
void rests_on(const Lines& lines, Channel channel, const std::function<double(const Shot&)>& what, int first, int last, const study::SettingsText& text = {}, double end = 30) {
  const double plain = what(*with_hair(lines, channel, -1, text, end));
  for (const int k : {first - 1, last + 1}) {
    CAPTURE(k);
    CHECK(what(*with_hair(lines, channel, k, text, end)) == plain);
  }
  for (const int k : {first, first + 1, last - 1, last}) {
    CAPTURE(k);
    CHECK(what(*with_hair(lines, channel, k, text, end)) != plain);
  }
}

const Lines kPlain = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}, {"v_gs", test::kPulsesG}};

/// The current goes at `off`, in 100 ns, and comes at `on`: times of v_ds as ever. Nothing climbs between 15 and 20 us.
Lines apart(double off, double on) {
  Lines out = kPlain;
  out[1].second = {{0, 0}, {5, 0}, {15, 20}, {off, 20}, {off + 0.1, 0}, {on, 0}, {on + 0.1, 20}, {20, 20}, {24, 28}, {24.05, 28}, {24.15, 0}, {30, 0}};
  return out;
}

double off_bus(const Shot& s) { return s.off->bus.value; }
double on_bus(const Shot& s) { return s.on->bus.value; }
double off_load(const Shot& s) { return s.off->load.value; }
double on_load(const Shot& s) { return s.on->load.value; }

}  // namespace

// v_ds passes its middle at 5.025, 15.025, 20.025 and 24.025 us; a sample is 10 ns.

TEST_CASE("the zero of a current is read before the first pulse, a tenth left, or while it is off", "[switching][windows]") {
  const auto before = [](const Shot& s) { return s.before->value; };
  rests_on(kPlain, current, before, 0, 452);
  // Begun while it conducts: the second half of the gap but for a tenth of it.
  rests_on(kPlain, current, before, 1753, 1952, {{"from", "6 us"}});
}

TEST_CASE("where a current passes its middle follows what it carries on the mean", "[switching][windows]") {
  // 0.3 to 0.05 of the first pulse before its end; from 0.3 to 0.7 of the second.
  rests_on(kPlain, current, [](const Shot& s) { return s.off->current_at; }, 1203, 1452);
  // The zero is taken off it as well.
  rests_on(kPlain, current, [](const Shot& s) { return s.on->current_at; }, 2123, 2282, {{"zero", "off"}});
}

TEST_CASE("a bus is read while the device blocks, away from both ends of that", "[switching][windows]") {
  // The current has gone at 15.1086 us: from half of 4.916 us on, until 0.3 of them before the end.
  rests_on(kPlain, voltage, off_bus, 1757, 1855);
  // It comes at 19.9601 us: from half of 4.935 us on, until half again of 65 ns and four samples before.
  rests_on(kPlain, voltage, on_bus, 1750, 1982);
  // It goes 1.4336 us after the voltage has come, and comes 0.9649 us before that goes: half again of these, and four samples.
  rests_on(apart(16.4, 19), voltage, off_bus, 1865, 1895);
  rests_on(apart(16.4, 19), voltage, on_bus, 1705, 1757);
  // It comes 1.5649 us before: no more than 0.4 of the 3.4351 us that it is off.
  rests_on(apart(16.4, 18.4), voltage, on_bus, 1675, 1708);
  // Where nothing is left, what v_ds rests at stands for it.
  const auto late = with_hair(apart(17.1, 18.4), voltage, -1, {}, 30);
  CHECK(late->off->bus.value == late->high);
}

TEST_CASE("a load current is a line through what flows beside the event", "[switching][windows]") {
  rests_on(kPlain, current, off_load, 1236, 1485, {{"zero", "off"}});
  rests_on(kPlain, current, on_load, 2123, 2382, {{"zero", "off"}});
  rests_on(apart(16.4, 19), current, off_load, 1034, 1283, {{"zero", "off"}});
  rests_on(apart(16.4, 19), current, on_load, 2152, 2382, {{"zero", "off"}});
  // No nearer than 0.3 of the first pulse, no further on than half of the second.
  rests_on(apart(17.1, 18.4), current, off_load, 953, 1202, {{"zero", "off"}});
  rests_on(apart(17.1, 18.4), current, on_load, 2203, 2382, {{"zero", "off"}});
  // Of a long pulse no more than 8192 samples.
  Lines long_pulse = kPlain;
  long_pulse[0].second = {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {20, 48}, {20.05, 0}, {180, 0}, {180.05, 48}, {190, 48}};
  long_pulse[1].second = {{0, 0}, {5, 0}, {15, 20}, {15.05, 20}, {15.15, 0}, {19.9, 0}, {20, 20}, {180, 20}, {180.1, 0}, {190, 0}};
  rests_on(long_pulse, current, on_load, 6803, 14994, {{"zero", "off"}}, 190);
}

TEST_CASE("a gate's two levels are read on either side of the event", "[switching][windows]") {
  rests_on(kPlain, gate, [](const Shot& s) { return s.off->gate_low->value; }, 1757, 1953);
  rests_on(kPlain, gate, [](const Shot& s) { return s.off->gate_high->value; }, 903, 1402);
  rests_on(kPlain, gate, [](const Shot& s) { return s.on->gate_low->value; }, 1700, 1946);
  rests_on(kPlain, gate, [](const Shot& s) { return s.on->gate_high->value; }, 2163, 2362);
}

TEST_CASE("the ramp's two slopes are those of its first and last third, but for its ends", "[switching][windows]") {
  rests_on(kPlain, current, [](const Shot& s) { return s.ramp->slope_first; }, 553, 852);
  rests_on(kPlain, current, [](const Shot& s) { return s.ramp->slope_last; }, 1153, 1452);
  // Up to where the current goes, where that is first.
  auto early = apart(14, 19);
  early[1].second[2] = {13.9, 17.8};
  early[1].second[3] = {14, 17.8};
  const auto s = with_hair(early, current, -1, {}, 30);
  CHECK(s->ramp->to == Approx(s->off->current_at));
  CHECK(s->ramp->to < 14.1 * kMicro);
}

TEST_CASE("a crossing is one that leaves the middle by 0.3 of the swing on either side", "[switching][windows]") {
  // 24 V is the middle of the swing, and 0.3 of it are 14.4 V. v_ds dips while it blocks.
  const auto falls = [](double to) {
    Lines lines = kPlain;
    lines[0].second = {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {17, 48}, {17.1, to}, {17.2, 48}, {20, 48}, {20.05, 0}, {24, 0}, {24.05, 48}, {30, 48}};
    return with_hair(lines, voltage, -1, {}, 30)->falls.size();
  };
  CHECK(falls(10) == 2);
  CHECK(falls(9) == 3);
}

TEST_CASE("a load is a twentieth of the most that flows, and four times its noise", "[switching][windows]") {
  // Two first pulses of little current, then 20 A: the second one's end is the turn-off unless the first carries enough.
  const auto off_at = [](double first) {
    Lines lines = kPlain;
    lines[1].second = {{0, 0}, {5, 0}, {5.1, first}, {15.05, first}, {15.15, 0}, {19.9, 0}, {20, 20}, {24.05, 20}, {24.15, 0}, {30, 0}};
    return with_hair(lines, current, -1, {}, 30);
  };
  CHECK(off_at(1.1)->off->at == Approx(15.025 * kMicro));
  CHECK(off_at(0.9)->off->at == Approx(24.025 * kMicro));
  CHECK_FALSE(off_at(-0.9)->reversed);
  CHECK(off_at(-1.1)->reversed);
  // It alternates by 0.3 A, of which a third more is its noise: 1.38 A would be four times that.
  const auto noisy = [&](double first) {
    auto record = std::make_shared<study::Waveforms>();
    Lines lines = kPlain;
    lines[1].second = {{0, 0}, {5, 0}, {5.1, first}, {15.05, first}, {15.15, 0}, {19.9, 0}, {20, 20}, {24.05, 20}, {24.15, 0}, {30, 0}};
    *record = *test::record_of(lines);
    std::vector<double> y(record->traces[1]->size());
    REQUIRE(record->traces[1]->read(0, y));
    for (std::size_t k = 0; k < y.size(); ++k) y[k] += k % 2 ? 0.3 : -0.3;
    record->traces[1] = study::trace_of("i_d", "A", record->traces[1]->time, std::move(y));
    return *switching::read_shot(record, {});
  };
  CHECK(noisy(1.45)->off->at == Approx(15.025 * kMicro));
  CHECK(noisy(1.3)->off->at == Approx(24.025 * kMicro));
  CHECK(noisy(-1.45)->reversed);
  CHECK_FALSE(noisy(-1.3)->reversed);
}

TEST_CASE("a current passes its middle where it leaves a quarter of the load on either side", "[switching][windows]") {
  // 16.55 A on the mean: half of that is 8.275 A, and a quarter 4.14 A. It dips a microsecond before it goes.
  const auto at = [](double dip) {
    Lines lines = kPlain;
    lines[1].second = {{0, 0}, {5, 0}, {15, 20}, {15.3, 20}, {15.4, dip}, {15.5, 20}, {16.3, 20}, {16.4, 0}, {19.9, 0}, {20, 20}, {24.05, 20}, {24.15, 0}, {30, 0}};
    return with_hair(lines, current, -1, {}, 30)->off->current_at / kMicro;
  };
  CHECK(at(4.3) == Approx(16.3 + 0.1 * (20 - 8.275) / 20).margin(2e-3));
  CHECK(at(3.9) == Approx(15.3 + 0.1 * (20 - 8.275) / (20 - 3.9)).margin(2e-3));
}

TEST_CASE("small currents are told as they are, and levels that are set are known exactly", "[switching]") {
  Lines lines = kPlain;
  for (auto& [t, y] : lines[1].second) y = 0.02 * (y - 0.2);
  const auto s = with_hair(lines, current, -1, {}, 30);
  CHECK(s->from == 0);
  CHECK(s->to == Approx(30 * kMicro));
  REQUIRE(s->on);
  CHECK(s->on->load.value == Approx(0.4).epsilon(0.01));
  // 5 A that the zero is off by are no current.
  for (auto& [t, y] : lines[1].second) y += 5;
  CHECK(test::spaced(with_hair(lines, current, -1, {{"to", "18 us"}}, 30)->on.error()) == "i_d carries 1.0 mA when v_ds falls, of 400 mA at most: no load current is taken over");
  const auto told = with_hair(kPlain, current, -1, {{"v_bus", "50 V"}, {"i_load", "0.5 A"}}, 30);
  CHECK(told->off->bus.value == 50);
  CHECK(told->off->bus.u == 0);
  CHECK(told->on->load.value == 0.5);
  CHECK(told->on->load.u == 0);
}

TEST_CASE("as much is read around an event as its windows ask for", "[switching][windows]") {
  const auto core = [](const Lines& lines, bool on) {
    const auto s = with_hair(lines, voltage, -1, {}, 30);
    const auto& e = on ? s->on : s->off;
    REQUIRE(e);
    auto out = switching::core_of(*s, *e, {});
    if (!out) FAIL(out.error().message);
    return std::pair{out->from / kMicro, out->to / kMicro};
  };
  // 64 samples before, and twice that after; or four times what lies between voltage and current.
  const auto plain = core({kPlain[0], kPlain[1]}, false);
  CHECK(plain.first == Approx(15.025 - 0.64));
  CHECK(plain.second == Approx(15.108625 + 1.28).margin(2e-3));
  const Lines some = {{"v_ds", {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {30, 48}}}, {"i_d", {{0, 0}, {5, 0}, {15, 20}, {15.266, 20}, {15.366, 0}, {30, 0}}}};
  // 16.55 A on the mean: the current passes half of that at 15.324625.
  const auto wider = core(some, false);
  CHECK(wider.first == Approx(15.025 - 4 * 0.299625).margin(2e-3));
  CHECK(wider.second == Approx(15.324625 + 8 * 0.299625).margin(5e-3));
  // v_ds takes 2.4 us: from 10 % at 15.24 to its peak at 17.4 are 2.16 us, of which 0.7 are wanted before and 1.5 after.
  const Lines slow = {{"v_ds", {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {17.4, 48}, {30, 48}}}, {"i_d", {{0, 0}, {5, 0}, {15, 20}, {16.2, 20}, {16.3, 0}, {30, 0}}}};
  const auto grown = core(slow, false);
  CHECK(grown.first == Approx(16.2 - 2.56).margin(0.01));
  CHECK(grown.second == Approx(16.26 + 5.12).margin(0.02));
  // No further than half way to what happens before and after.
  Lines close = kPlain;
  close[0].second = {{0, 48}, {14.4, 48}, {14.45, 0}, {15, 0}, {15.05, 48}, {15.6, 48}, {15.65, 0}, {24, 0}, {24.05, 48}, {30, 48}};
  close[1].second = {{0, 0}, {14.4, 0}, {14.5, 20}, {15.05, 20}, {15.15, 0}, {15.5, 0}, {15.6, 20}, {24.05, 20}, {24.15, 0}, {30, 0}};
  const auto tight = core(close, false);
  CHECK(tight.first == Approx((14.425 + 15.025) / 2));
  CHECK(tight.second == Approx((15.025 + 15.625) / 2));
}

TEST_CASE("a gate that is nowhere asks for no more than the windows do", "[switching][windows]") {
  // It moves after the current has gone.
  Lines lines = kPlain;
  lines[2].second = {{0, -3}, {4.9, -3}, {5, 12}, {15.3, 12}, {15.4, -3}, {19.8, -3}, {19.9, 12}, {23.9, 12}, {24, -3}, {30, -3}};
  const auto s = with_hair(lines, voltage, -1, {}, 30);
  REQUIRE(s->off);
  REQUIRE(s->off->gate_low);
  const auto core = switching::core_of(*s, *s->off, {});
  REQUIRE(core);
  CHECK(switching::edge_of(*core, *s->off, {}).get(switching::Key::delay_off).value.error() == "i_d moves before v_gs does");
  CHECK(core->from / kMicro == Approx(15.025 - 0.64));
  CHECK(core->to / kMicro == Approx(15.108625 + 1.28).margin(2e-3));
}

TEST_CASE("a gate that moves long before the edge still has its delay", "[switching][windows]") {
  // The gate falls at 14.1 us and rises at 28.6 us, where nothing else moves for a microsecond.
  const Lines lines = {{"v_ds", {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {30, 48}, {30.05, 0}, {38, 0}, {38.05, 48}, {40, 48}}},
                       {"i_d", {{0, 0}, {5, 0}, {15, 20}, {15.05, 20}, {15.15, 0}, {29.9, 0}, {30, 20}, {38.05, 20}, {38.15, 0}, {40, 0}}},
                       {"v_gs", {{0, -3}, {4, -3}, {4.1, 12}, {14.1, 12}, {14.2, -3}, {28.6, -3}, {28.7, 12}, {37, 12}, {37.1, -3}, {40, -3}}}};
  const auto read = switching::read(test::record_of(lines, 40), {}, {});
  REQUIRE(read);
  const auto& off = (*read)->get(switching::Key::delay_off);
  if (!off.value) FAIL(off.value.error());
  // 90 % of the gate's swing are left 10 ns after it begins, and of 20.05 A at 15.05 + 0.1 (20 - 18.045)/20 us.
  CHECK(*off.value == Approx((15.05 + 0.1 * (20 - 18.045) / 20 - 14.11) * kMicro).margin(2 * kNano));
  const auto& on = (*read)->get(switching::Key::delay_on);
  if (!on.value) FAIL(on.value.error());
  CHECK(*on.value == Approx((29.9 + 0.1 * 2 / 20 - 28.61) * kMicro).margin(2 * kNano));
}

}  // namespace switching_windows
