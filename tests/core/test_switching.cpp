#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/switching/doubts.h"
#include "study/switching/kind.h"
#include "study/switching/reduced.h"
#include "truth/double_pulse.h"

using namespace heron;

namespace switching_figures {
namespace {

namespace switching = study::switching;
using truth::DoublePulse;

study::Analysis analyse(const std::vector<study::Point>& points, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  auto out = switching::kind().analyse(points, settings, asked);
  if (!out) FAIL(out.error().message);
  return *out;
}

study::Reading read(const DoublePulse& pulse, const DoublePulse::Errors& errors = {}, const study::SettingsText& settings = {}, double phase = 0.3) {
  std::mt19937_64 random(7);
  return analyse({pulse.point(errors, random, phase)}, settings).reading;
}

double value(const study::Reading& r, const std::string& key) {
  const auto* f = r.find(key);
  if (!f) {
    for (const auto& a : r.absent)
      if (a.key == key) FAIL(key << ": " << a.reason);
    FAIL(key);
  }
  return f->value;
}

std::string reason(const study::Reading& r, const std::string& key) {
  CHECK(!r.find(key));
  for (const auto& a : r.absent)
    if (a.key == key) return a.reason;
  return {};
}

const study::Doubt* doubt(const study::Reading& r, std::string_view key) {
  for (const auto& d : r.doubts)
    if (d.key == key) return &d;
  return nullptr;
}

/// Currents as filters leave them, with a loop that shows.
DoublePulse smooth() {
  DoublePulse out;
  out.smooth = true;
  out.recovery = 0;
  out.stray = 40e-9;
  return out;
}

/// A record with one of its quantities changed.
template <class Change>
study::Point changed(const DoublePulse& pulse, Change change, const DoublePulse::Errors& errors = {}) {
  std::mt19937_64 random(7);
  auto point = pulse.point(errors, random, 0.3);
  change(point.records.front());
  return point;
}
study::Channel& channel(study::Record& record, std::string_view role) {
  for (auto& c : record.channels)
    if (c.role == role) return c;
  FAIL(role);
  return record.channels.front();
}

}  // namespace

TEST_CASE("every figure of straight edges is what a finer grid says", "[switching]") {
  DoublePulse pulse;
  auto truth = pulse.truth();
  // A step of the voltage within one sample is known to that sample only.
  const auto r = read(pulse);
  for (const auto& [key, is] : truth) {
    INFO(key);
    CHECK(value(r, key) == Approx(is).epsilon(key == "recovery.current" ? 0.01 : 0.002));
  }
  CHECK(r.doubts.empty());
  // Windows that are set otherwise.
  const study::SettingsText wide = {{"on.start", "5 %"}, {"on.end", "2 %"}, {"off.start", "20 %"}, {"off.end", "3"}};
  const auto other = read(pulse, {}, wide);
  truth = pulse.truth(0.05, 0.02, 0.2, 0.03);
  for (const char* key : {"energy.on", "energy.off"}) {
    INFO(key);
    CHECK(value(other, key) == Approx(truth.at(key)).epsilon(0.002));
    CHECK(value(other, key) != Approx(value(r, key)).epsilon(0.002));
  }
  CHECK(value(other, "rise_time") == Approx(value(r, "rise_time")));
}

TEST_CASE("levels that are set are taken instead of those seen", "[switching]") {
  const DoublePulse pulse;
  const auto r = read(pulse, {}, {{"v_bus", "420 V"}, {"i_load", "18 A"}});
  CHECK(value(r, "overshoot.voltage") == Approx(100 * (value(r, "peak.voltage") / 420 - 1)));
  CHECK(value(r, "recovery.current") == Approx(value(r, "peak.current") - 18));
  CHECK(value(r, "rise_time") == Approx(0.8 * 18 / 20 * pulse.rise).epsilon(1e-3));
}

TEST_CASE("a current that climbs is read at the event", "[switching]") {
  DoublePulse pulse;
  pulse.climb = 20 / 8e-6;
  const auto shot = *switching::read_shot(*switching::waveforms_of(changed(pulse, [](auto&) {}), {}), {});
  REQUIRE(shot->off);
  CHECK(shot->off->load.value == Approx(20).epsilon(0.01));
  CHECK(shot->off->bus.value == Approx(400).epsilon(1e-3));
}

TEST_CASE("a zero that is off is taken off by what is read before the first pulse", "[switching]") {
  DoublePulse pulse;
  const auto truth = pulse.truth();
  const DoublePulse::Errors e{.i_noise = 0.02, .i_offset = 1.5};
  const auto zeroed = read(pulse, e);
  CHECK(value(zeroed, "energy.on") == Approx(truth.at("energy.on")).epsilon(0.003));
  CHECK(value(zeroed, "peak.current") == Approx(28).epsilon(0.01));
  CHECK(!doubt(zeroed, "offset.uncorrected"));
  const auto kept = read(pulse, e, {{"zero", "off"}});
  CHECK(value(kept, "peak.current") == Approx(29.5).epsilon(0.01));
  REQUIRE(doubt(kept, "offset.uncorrected"));
  CHECK(doubt(kept, "offset.uncorrected")->text.find("1.5") != std::string::npos);
  // Just under three of its uncertainties nobody is told.
  CHECK(!doubt(read(pulse, {.i_noise = 0.02, .i_offset = 0.0005}, {{"zero", "off"}}), "offset.uncorrected"));
  // Without a stretch before it: while the device is off between the pulses.
  auto cut = pulse;
  cut.before = -4e-6;
  CHECK(value(read(cut, e), "energy.off") == Approx(truth.at("energy.off")).epsilon(0.003));
}

TEST_CASE("one event alone gives its figures, the others say why not", "[switching]") {
  DoublePulse one;
  one.second_pulse = false;
  const auto r = read(one);
  CHECK(value(r, "energy.off") == Approx(one.truth().at("energy.off")).epsilon(0.002));
  // The first turn-on carries nothing yet: its window would end before it begins.
  CHECK_THAT(reason(r, "energy.on"), Catch::Matchers::Contains("nothing is switched hard") || Catch::Matchers::Contains("no load current"));
  DoublePulse late;
  late.before = -(late.first + 0.5e-6);
  const auto on = read(late);
  CHECK(value(on, "energy.on") == Approx(late.truth().at("energy.on")).epsilon(0.002));
  DoublePulse cut;
  cut.second = -cut.after + 35e-9;
  CHECK_THAT(reason(read(cut), "energy.on"), Catch::Matchers::Contains("v_ds"));
  CHECK(read(cut).find("energy.off"));
}

TEST_CASE("records that are no shots are told as such", "[switching]") {
  DoublePulse pulse;
  SECTION("noise only") {
    const auto point = changed(pulse, [](study::Record& r) {
      std::mt19937_64 random(3);
      for (const char* role : {"v_ds", "i_d"})
        for (auto& v : channel(r, role).numbers) v = normal_deviate(random);
    });
    CHECK_THAT(reason(analyse({point}).reading, "energy.on"), Catch::Matchers::Contains("does not go from one level to another"));
  }
  SECTION("no load current") {
    std::mt19937_64 random(3);
    const auto point = changed(pulse, [&](study::Record& r) {
      for (auto& v : channel(r, "i_d").numbers) v = 0.02 * normal_deviate(random);
    });
    CHECK_THAT(reason(analyse({point}).reading, "energy.off"), Catch::Matchers::Contains("no load current"));
  }
  SECTION("no gate") {
    const auto point = changed(pulse, [](study::Record& r) { std::erase_if(r.channels, [](const auto& c) { return c.role == "v_gs"; }); });
    const auto r = analyse({point}).reading;
    CHECK(reason(r, "delay.on") == "there is no v_gs");
    CHECK(r.find("energy.on"));
  }
  SECTION("no current, no time, no length") {
    const auto refused = [&](auto change) {
      const auto out = switching::kind().analyse({changed(pulse, change)}, {}, {});
      REQUIRE(!out);
      CHECK(out.error().fault == Fault::input);
      return out.error().message;
    };
    CHECK_THAT(refused([](study::Record& r) { std::erase_if(r.channels, [](const auto& c) { return c.role == "i_d"; }); }), Catch::Matchers::Contains("no quantity i_d"));
    CHECK_THAT(refused([](study::Record& r) { std::erase_if(r.channels, [](const auto& c) { return c.role == "time"; }); }), Catch::Matchers::Contains("sample_rate"));
    CHECK_THAT(refused([](study::Record& r) { channel(r, "i_d").numbers.pop_back(); }), Catch::Matchers::Contains("not of one length"));
    CHECK_THAT(refused([](study::Record& r) { std::swap(channel(r, "time").numbers[10], channel(r, "time").numbers[20]); }), !Catch::Matchers::Equals(""));
    CHECK_THAT(refused([](study::Record& r) {
                 for (auto& c : r.channels) c.numbers.resize(9);
               }),
               Catch::Matchers::Contains("tells nothing"));
  }
  SECTION("a stretch that holds nothing") {
    CHECK_THAT(switching::kind().analyse({changed(pulse, [](auto&) {})}, {{"from", "1 s"}, {"to", "2 s"}}, {}).error().message, Catch::Matchers::Contains("nothing of the record"));
  }
}

TEST_CASE("times may be uneven as long as they rise", "[switching]") {
  DoublePulse pulse;
  std::mt19937_64 random(5);
  const auto point = changed(pulse, [&](study::Record& r) {
    auto& t = channel(r, "time").numbers;
    for (auto& x : t) x += 0.4e-9 * (double(random() >> 11) * 0x1p-53 - 0.5);
    for (std::size_t k = 0; k < t.size(); ++k) {
      channel(r, "v_ds").numbers[k] = pulse.v(t[k]);
      channel(r, "i_d").numbers[k] = pulse.i(t[k]);
      channel(r, "v_gs").numbers[k] = pulse.g(t[k]);
    }
  });
  const auto r = analyse({point}).reading;
  for (const char* key : {"energy.on", "energy.off", "rise_time", "delay.off"}) {
    INFO(key);
    CHECK(value(r, key) == Approx(pulse.truth().at(key)).epsilon(0.01));
  }
}

TEST_CASE("a current the wrong way and two that are exchanged are told with what mends them", "[switching][doubts]") {
  DoublePulse pulse;
  pulse.climb = 20 / 8e-6;
  const auto turned = changed(pulse, [](study::Record& r) {
    for (auto& v : channel(r, "i_d").numbers) v = -v;
  });
  const auto r = analyse({turned}).reading;
  REQUIRE(doubt(r, "wiring.sign"));
  CHECK(doubt(r, "wiring.sign")->remedy.find("wire.i_d = -i_d") != std::string::npos);
  CHECK_THAT(reason(r, "energy.on"), Catch::Matchers::Contains("wrong way"));
  const auto mended = analyse({turned}, {{"wire.i_d", "-i_d"}}).reading;
  CHECK(!doubt(mended, "wiring.sign"));
  CHECK(mended.find("energy.on"));

  for (const bool gate : {true, false}) {
    INFO(gate);
    auto whole = pulse;
    if (!gate) {
      // Only the stretch from one pulse to the next, where nothing else tells.
      whole.before = -4e-6;
      whole.after = -1e-6;
    }
    const auto swapped = changed(whole, [&](study::Record& r2) {
      std::swap(channel(r2, "v_ds").numbers, channel(r2, "i_d").numbers);
      if (!gate) std::erase_if(r2.channels, [](const auto& c) { return c.role == "v_gs"; });
    });
    const auto read_so = analyse({swapped}).reading;
    REQUIRE(doubt(read_so, "wiring.swapped"));
    const auto right = changed(whole, [&](study::Record& r2) {
      if (!gate) std::erase_if(r2.channels, [](const auto& c) { return c.role == "v_gs"; });
    });
    CHECK(!doubt(analyse({right}).reading, "wiring.swapped"));
    const auto again = analyse({swapped}, {{"wire.v_ds", "i_d"}, {"wire.i_d", "v_ds"}}).reading;
    CHECK(!doubt(again, "wiring.swapped"));
    CHECK(again.find("energy.off"));
  }
  CHECK(!switching::kind().analyse({turned}, {{"wire.i_d", "i_shunt"}}, {}));
  CHECK(!switching::kind().check_setting("wire.v_out", "v"));
}

TEST_CASE("a skew is found within a fifth of a nanosecond, and gone once it is accepted", "[switching]") {
  for (const double skew : {-3e-9, -0.7e-9, 0.0, 0.4e-9, 2.5e-9}) {
    for (const double phase : {0.0, 0.3, 0.8}) {
      INFO(skew << " " << phase);
      const auto r = read(smooth(), {.skew = skew}, {}, phase);
      CHECK(value(r, "skew") == Approx(skew).margin(0.2e-9));
      const auto taken_off = read(smooth(), {.skew = skew}, {{"skew", fmt::format("{:.12g} s", value(r, "skew"))}}, phase);
      CHECK(std::abs(value(taken_off, "skew")) < 0.05e-9);
      CHECK(value(taken_off, "energy.on") == Approx(smooth().truth().at("energy.on")).epsilon(0.01));
      CHECK(value(taken_off, "energy.off") == Approx(smooth().truth().at("energy.off")).epsilon(0.01));
    }
  }
  // The loop's inductance comes with it.
  const auto shot = *switching::read(*switching::waveforms_of(changed(smooth(), [](auto&) {}), {}), {}, {});
  REQUIRE(shot->skew);
  CHECK(shot->skew->inductance == Approx(40e-9).epsilon(0.03));
  // No step, nothing to tell by.
  auto flat = smooth();
  flat.stray = 0;
  CHECK_THAT(reason(read(flat, {.v_noise = 0.5}), "skew"), Catch::Matchers::Contains("inductive step"));
}

TEST_CASE("a skew beyond a twentieth of an edge says what a nanosecond costs", "[switching][doubts]") {
  // The edge takes some 14 ns from 10 to 90 %: 0.7 ns is the bound.
  const auto over = read(smooth(), {.skew = 1.0e-9});
  REQUIRE(doubt(over, "skew.suspected"));
  const auto& text = doubt(over, "skew.suspected")->text;
  CHECK(text.find("i_d lags v_ds by") != std::string::npos);
  CHECK(text.find("% of the turn-on energy and") != std::string::npos);
  CHECK(!doubt(read(smooth(), {.skew = 0.5e-9}), "skew.suspected"));
  CHECK(doubt(read(smooth(), {.skew = -1.1e-9}), "skew.suspected")->text.find("leads") != std::string::npos);
  // What it says it costs is what it does cost.
  const auto shot = *switching::read(*switching::waveforms_of(changed(smooth(), [](auto&) {}), {}), {}, {});
  const auto cost = switching::skew_cost(*shot, {});
  REQUIRE(cost.on);
  REQUIRE(cost.off);
  const double now = value(read(smooth()), "energy.on"), later = value(read(smooth(), {.skew = 0.5e-9}), "energy.on"), earlier = value(read(smooth(), {.skew = -0.5e-9}), "energy.on");
  CHECK(*cost.on == Approx(100 * (later - earlier) / now).epsilon(0.05));
  CHECK(*cost.on < 0);
  CHECK(*cost.off > 0);
}

TEST_CASE("what makes a shot doubtful is told just over its bound and not just under", "[switching][doubts]") {
  DoublePulse pulse;
  SECTION("too few samples in an edge") {
    CHECK(doubt(read(pulse, {.step = 5e-9}), "sampling.coarse"));
    CHECK(!doubt(read(pulse, {.step = 4.5e-9}), "sampling.coarse"));
  }
  SECTION("a chain about as slow as the edge") {
    // 19.2 ns of rise: half as long again as 0.35 of 27.34 MHz.
    CHECK(doubt(read(pulse, {}, {{"bandwidth", "27 MHz"}}), "bandwidth.limits_edge"));
    CHECK(!doubt(read(pulse, {}, {{"bandwidth", "27.6 MHz"}}), "bandwidth.limits_edge"));
  }
  SECTION("ringing where the window closes") {
    pulse.stray = 1e-9;
    pulse.ring_decay = 1e-3;
    pulse.ring = 21;
    CHECK(doubt(read(pulse), "ringing.in_window"));
    pulse.ring = 19;
    CHECK(!doubt(read(pulse), "ringing.in_window"));
  }
  SECTION("near its ratings") {
    CHECK(doubt(read(pulse, {}, {{"voltage_rating", "460 V"}}), "rating.near"));
    CHECK(!doubt(read(pulse, {}, {{"voltage_rating", "465 V"}}), "rating.near"));
    CHECK(doubt(read(pulse, {}, {{"voltage_rating", "410 V"}}), "rating.near")->severity == study::Severity::serious);
    CHECK(doubt(read(pulse, {}, {{"current_rating", "31 A"}}), "rating.near"));
    CHECK(!doubt(read(pulse, {}, {{"current_rating", "31.3 A"}}), "rating.near"));
  }
  SECTION("an inductor that saturates") {
    const auto bent = [&](double more) {
      return changed(pulse, [&](study::Record& r) {
        auto& t = channel(r, "time").numbers;
        auto& i = channel(r, "i_d").numbers;
        for (std::size_t k = 0; k < t.size(); ++k)
          if (t[k] > 0 && t[k] < pulse.first) {
            const double x = t[k] / pulse.first;
            i[k] = 20 * (x + more * x * x * x) / (1 + more);
          }
      });
    };
    // Slopes 1 + 3 m x^2 over the first and the last third of the ramp: a tenth more is m = 0.055.
    CHECK(doubt(analyse({bent(0.065)}).reading, "saturation.inductor"));
    CHECK(!doubt(analyse({bent(0.045)}).reading, "saturation.inductor"));
  }
  SECTION("clipped") {
    const auto clipped = [&](int samples) {
      return changed(pulse, [&](study::Record& r) {
        auto& i = channel(r, "i_d");
        i.scale = 20.0 / 2000;
        i.lowest_count = -32000;
        const double top = *std::max_element(i.numbers.begin(), i.numbers.end());
        for (const double v : i.numbers) i.counts.push_back(std::int16_t(std::lround(v / i.scale)));
        i.highest_count = int(std::lround(top / i.scale));
        const auto at = std::max_element(i.counts.begin(), i.counts.end()) - i.counts.begin();
        for (int k = 0; k < samples; ++k) i.counts[std::size_t(at + k)] = std::int16_t(i.highest_count);
        i.range = i.highest_count * i.scale;
        i.numbers.clear();
      });
    };
    CHECK(doubt(analyse({clipped(3)}).reading, "input.clipped"));
    CHECK(!doubt(analyse({clipped(2)}).reading, "input.clipped"));
  }
  SECTION("a range that is too wide") {
    const auto ranged = [&](double times) {
      return changed(pulse, [&](study::Record& r) {
        auto& i = channel(r, "i_d");
        double peak = 0;
        for (const double v : i.numbers) peak = std::max(peak, std::abs(v));
        i.range = times * peak;
      });
    };
    CHECK(doubt(analyse({ranged(10.1)}).reading, "range.underused"));
    CHECK(!doubt(analyse({ranged(9.9)}).reading, "range.underused"));
  }
  SECTION("pick-up of the gate that follows the slope of v_ds") {
    const auto picked = [&](double per_slope) {
      return changed(pulse, [&](study::Record& r) {
        auto& t = channel(r, "time").numbers;
        auto& g = channel(r, "v_gs").numbers;
        for (std::size_t k = 0; k < t.size(); ++k) {
          const double slope = (pulse.v(t[k] + 1e-9) - pulse.v(t[k] - 1e-9)) / 2e-9;
          // Only while it turns off: where it turns on the loop's own step is a slope of its own.
          if (t[k] > pulse.off_at() - 1e-7 && t[k] < pulse.off_at() + 0.5e-6) g[k] += per_slope * slope;
        }
      });
    };
    // 10 V/ns at turn-off; two per cent of a swing of 19 V are 0.38 V.
    const auto over = analyse({picked(0.044e-9)}).reading;
    REQUIRE(doubt(over, "common_mode.suspected"));
    CHECK(doubt(over, "common_mode.suspected")->text.find("v_gs follows the slope of v_ds at turn-off") != std::string::npos);
    CHECK(doubt(over, "common_mode.suspected")->remedy.find("rejects 61 dB") != std::string::npos);
    CHECK(!doubt(analyse({picked(0.034e-9)}).reading, "common_mode.suspected"));
  }
  SECTION("noise that drowns an energy") {
    CHECK(doubt(read(pulse, {.u_gain_i = 0.021}), "noise.limited"));
    CHECK(!doubt(read(pulse, {.u_gain_i = 0.019}), "noise.limited"));
  }
}

TEST_CASE("a shunt's inductance shows as the current's own slope", "[switching][doubts]") {
  const auto pulse = smooth();
  const auto by_shunt = [&](double time) {
    return changed(pulse, [&](study::Record& r) {
      auto& t = channel(r, "time").numbers;
      auto& i = channel(r, "i_d").numbers;
      for (std::size_t k = 0; k < t.size(); ++k) i[k] = pulse.i(t[k]) + time * (pulse.i(t[k] + 0.1e-9) - pulse.i(t[k] - 0.1e-9)) / 0.2e-9;
    });
  };
  const auto r = analyse({by_shunt(3e-9)}, {{"shunt", "10 mohm"}}).reading;
  REQUIRE(doubt(r, "shunt.inductance"));
  INFO(doubt(r, "shunt.inductance")->text);
  for (const char* said : {"3.0", "30", "10.0"}) CHECK(doubt(r, "shunt.inductance")->text.find(said) != std::string::npos);
  CHECK(!doubt(r, "skew.suspected"));
  // A current that is merely early is a skew.
  const auto early = read(pulse, {.skew = -3e-9});
  CHECK(doubt(early, "skew.suspected"));
  CHECK(!doubt(early, "shunt.inductance"));
  // Two per cent of the shorter edge are 0.28 ns.
  CHECK(!doubt(analyse({by_shunt(0.2e-9)}).reading, "shunt.inductance"));
}

TEST_CASE("a voltage that is read more slowly than the current takes its share off a shunt's inductance", "[switching]") {
  const auto pulse = smooth();
  const auto point = changed(pulse, [&](study::Record& r) {
    auto& t = channel(r, "time").numbers;
    auto& i = channel(r, "i_d").numbers;
    for (std::size_t k = 0; k < t.size(); ++k) i[k] = pulse.i(t[k]) + 3e-9 * (pulse.i(t[k] + 0.1e-9) - pulse.i(t[k] - 0.1e-9)) / 0.2e-9;
  });
  const auto pickup = [&](double v_pole, double i_pole) {
    auto record = std::make_shared<study::Waveforms>(**switching::waveforms_of(point, {}));
    const auto bandwidth = [](double pole) { return pole > 0 ? 1 / (2 * std::numbers::pi * pole) : 0; };
    record->errors[record->place("v_ds")].bandwidth = bandwidth(v_pole);
    record->errors[record->place("i_d")].bandwidth = bandwidth(i_pole);
    const auto shot = switching::read(record, {}, {});
    REQUIRE(shot);
    REQUIRE((*shot)->pickup);
    return *(*shot)->pickup;
  };
  const double plain = pickup(0, 0);
  CHECK(plain == Approx(3e-9).epsilon(0.05));
  CHECK(pickup(1e-9, 0) == Approx(plain - 1e-9));
  CHECK(pickup(1e-9, 0.4e-9) == Approx(plain - 0.6e-9));
  CHECK(pickup(0.4e-9, 1e-9) == Approx(plain));
}

TEST_CASE("a shot over time has its events sample by sample and the rest in steps", "[switching]") {
  // A sample a nanosecond, with two events.
  DoublePulse pulse;
  pulse.first = 16e-6;
  pulse.after = 3e-6;
  const auto point = changed(pulse, [](auto&) {});
  auto reducer = switching::reducer({});
  REQUIRE(reducer);
  REQUIRE((*reducer)->add(point));
  const auto reduced = *(*reducer)->so_far();
  const auto analysis = reduced->read({}, {});
  REQUIRE(analysis);
  const auto shot = *switching::read(*switching::waveforms_of(point, {}), {}, {});
  const auto& times = point.records.front().find("time")->numbers;
  const double length = times.back() - times.front();
  const auto look = [&](const study::Columns& c, double most) {
    REQUIRE(c.x.size() > 100);
    CHECK(double(c.x.size()) < 1.3 * most);
    CHECK(c.x.front() == Approx(times.front()));
    CHECK(c.x.back() <= times.back() + 1e-15);
    CHECK(c.x.back() > times.back() - 2 * 2 * length / most);
    REQUIRE(c.columns.size() == 3);
    for (std::size_t k = 1; k < c.x.size(); ++k) {
      REQUIRE(c.x[k] > c.x[k - 1]);
      // About an event as fine as a quarter of the places allows, elsewhere as half of them do.
      bool near = false;
      double share = 0;
      for (const auto* edge : {&shot->off, &shot->on}) {
        const auto [from, to] = *(*edge)->window;
        if (c.x[k - 1] < from - 2 * (to - from) + 2e-9 || c.x[k] > to + 4 * (to - from) - 2e-9) continue;
        near = true;
        share = std::max(1e-9, 7 * (to - from) / (most / 4));
      }
      CHECK(c.x[k] - c.x[k - 1] < 1.01e-9 + (near ? share : length / (most / 2)));
    }
    for (std::size_t k = 0; k < c.x.size(); k += 7) CHECK(c.columns[0].y[k] == Approx(pulse.v(c.x[k])).margin(1e-6));
  };
  look(*analysis->curve, 8192);
  look(reduced->small(), 160);
}

TEST_CASE("the other device's recovery is its own energy", "[switching]") {
  DoublePulse pulse;
  const auto i_f = [&](double t) { return t < pulse.on_at() - 1e-6 ? pulse.load : pulse.load - pulse.i(t); };
  const auto with = [&](double sign) {
    return changed(pulse, [&](study::Record& r) {
      study::Channel v{.role = "v_f", .unit = "V"}, i{.role = "i_f", .unit = "A"};
      for (const double t : channel(r, "time").numbers) {
        v.numbers.push_back(pulse.bus - pulse.v(t));
        i.numbers.push_back(sign * i_f(t));
      }
      r.channels.push_back(v);
      r.channels.push_back(i);
    });
  };
  const double is = DoublePulse::integral([&](double t) { return -(pulse.bus - pulse.v(t)) * i_f(t); }, pulse.on_at() + pulse.rise, pulse.peak_at() + 0.98 * pulse.recovers);
  for (const double sign : {1.0, -1.0}) CHECK(value(analyse({with(sign)}).reading, "energy.recovery") == Approx(is).epsilon(0.01));
  CHECK_THAT(reason(read(pulse), "energy.recovery"), Catch::Matchers::Contains("v_f and i_f"));
}

TEST_CASE("random double pulses never give the energy of another event", "[long][switching]") {
  // So many in each of four parts; all of them are ten thousand.
  const int part = GENERATE(0, 1, 2, 3);
  constexpr int kEach = 2500;
  std::mt19937_64 random(unsigned(100 + part));
  const auto within = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
  int wrong = 0, read_of = 0;
  std::ostringstream told;
  for (int k = 0; k < kEach; ++k) {
    DoublePulse pulse;
    pulse.bus = within(20, 800);
    pulse.load = within(1, 100);
    pulse.first = within(0.5e-6, 1.5e-6);
    pulse.gap = within(0.35e-6, 0.9e-6);
    pulse.second = within(0.35e-6, 0.9e-6);
    pulse.before = within(0.1e-6, 0.4e-6);
    pulse.after = within(0.2e-6, 0.4e-6);
    pulse.rise = within(8e-9, 40e-9);
    pulse.fall = within(8e-9, 40e-9);
    pulse.voltage_fall = within(8e-9, 50e-9);
    pulse.voltage_rise = within(8e-9, 50e-9);
    pulse.recovery = within(0, 0.8) * pulse.load;
    pulse.recovers = within(10e-9, 40e-9);
    pulse.stray = within(0, 0.25) * pulse.bus * pulse.rise / pulse.load;
    pulse.ring = within(0, 0.25) * pulse.bus;
    pulse.ring_frequency = within(15e6, 80e6);
    pulse.ring_decay = within(20e-9, 80e-9);
    const DoublePulse::Errors e{.v_noise = within(0, 0.006) * pulse.bus, .i_noise = within(0, 0.008) * pulse.load, .i_offset = within(-0.03, 0.03) * pulse.load, .skew = within(-2e-9, 2e-9), .step = 2e-9};
    auto point = pulse.point(e, random, within(0, 1));
    std::erase_if(point.records.front().channels, [](const auto& c) { return c.role == "v_gs"; });
    const auto shot = switching::read_shot(*switching::waveforms_of(point, {}), {});
    REQUIRE(shot);
    if (!(*shot)->off) (told << "off " << k << ": " << (*shot)->off.error() << fmt::format(" bus {:.0f} ring {:.2f} first {:.2g} gap {:.2g}", pulse.bus, pulse.ring / pulse.bus, pulse.first, pulse.gap) << "\n");
    if (!(*shot)->on) (told << "on " << k << ": " << (*shot)->on.error() << fmt::format(" bus {:.0f} ring {:.2f} first {:.2g} gap {:.2g}", pulse.bus, pulse.ring / pulse.bus, pulse.first, pulse.gap) << "\n");
    if ((*shot)->off) {
      ++read_of;
      if (std::abs((*shot)->off->at - pulse.off_at() - pulse.voltage_rise / 2) > 30e-9 || std::abs((*shot)->off->load.value - pulse.load) > 0.1 * pulse.load || std::abs((*shot)->off->bus.value - pulse.bus) > 0.05 * pulse.bus)
        (told << "wrong off " << k << fmt::format(": at {:.3g} is {:.3g}, load {:.3g} is {:.3g}, bus {:.3g} is {:.3g} ring {:.2g}", (*shot)->off->at, pulse.off_at(), (*shot)->off->load.value, pulse.load, (*shot)->off->bus.value, pulse.bus, pulse.ring) << "\n");
      wrong += std::abs((*shot)->off->at - pulse.off_at() - pulse.voltage_rise / 2) > 30e-9 || std::abs((*shot)->off->load.value - pulse.load) > 0.1 * pulse.load || std::abs((*shot)->off->bus.value - pulse.bus) > 0.05 * pulse.bus;
    }
    if ((*shot)->on) {
      ++read_of;
      if (std::abs((*shot)->on->at - (pulse.peak_at() + pulse.voltage_fall / 2)) > 30e-9 || std::abs((*shot)->on->load.value - pulse.load) > 0.1 * pulse.load)
        (told << "wrong on " << k << fmt::format(": at {:.3g} is {:.3g}, load {:.3g} is {:.3g} rec {:.3g} {:.3g} second {:.3g}", (*shot)->on->at, pulse.on_at(), (*shot)->on->load.value, pulse.load, pulse.recovery, pulse.recovers, pulse.second) << "\n");
      wrong += std::abs((*shot)->on->at - (pulse.peak_at() + pulse.voltage_fall / 2)) > 30e-9 || std::abs((*shot)->on->load.value - pulse.load) > 0.1 * pulse.load;
    }
  }
  INFO(told.str());
  CHECK(wrong == 0);
  CHECK(read_of > int(1.98 * kEach));
}

}  // namespace switching_figures
