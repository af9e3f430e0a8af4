#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "study/power/kind.h"
#include "study/power/settings.h"
#include "support.h"

using namespace heron;

/// Each doubt of power just under its threshold and just over it.
namespace power_doubts {
namespace {

using std::numbers::pi;

struct Given {
  std::string name;
  std::function<double(double)> of;  ///< of time in s
  double u_gain = 0, u_offset = 0, u_delay = 0;
  std::optional<double> range = {};
  double low_corner = 0;  ///< Hz, of its sensor
  double count = 0;       ///< A; 0: numbers are kept
};

study::Reading read(const std::vector<Given>& given, std::size_t samples, double rate = 20e3, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  nlohmann::json setting = nlohmann::json::object();
  study::Record record{.sample_rate = rate};
  for (const auto& g : given) {
    const std::string unit = g.name[0] == 'v' ? "V" : "A";
    study::Channel channel{.role = g.name, .unit = unit};
    channel.scale = g.count > 0 ? g.count : channel.scale;
    for (std::size_t k = 0; k < samples; ++k)
      if (g.count > 0) channel.counts.push_back(std::int16_t(std::lround(g.of(double(k) / rate) / g.count)));
      else channel.numbers.push_back(g.of(double(k) / rate));
    channel.range = g.range;
    channel.u_gain = g.u_gain;
    channel.u_offset = g.u_offset;
    channel.u_delay = g.u_delay;
    record.channels.push_back(std::move(channel));
    bench::Sensing sensing;
    sensing.unit = unit;
    sensing.low_corner = g.low_corner;
    setting["sensing"][g.name] = bench::to_json(sensing);
  }
  study::Point point{.setting = setting, .records = {}};
  point.records.push_back(std::move(record));
  const auto analysis = study::power::kind().analyse({point}, settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

bool doubted(const study::Reading& r, std::string_view key) {
  return std::any_of(r.doubts.begin(), r.doubts.end(), [&](const auto& d) { return d.key == key; });
}

study::Doubt doubt(const study::Reading& r, std::string_view key) {
  for (const auto& d : r.doubts)
    if (d.key == key) return d;
  FAIL(key << " is not doubted");
  return {};
}
std::string said(const study::Reading& r, std::string_view key) { return test::spaced(doubt(r, key).text); }

Given voltage(double f = 50) { return {"v", [=](double t) { return 325 * std::cos(2 * pi * f * t); }}; }
Given current(double lag, double f = 50, double peak = 10) { return {"i", [=](double t) { return peak * std::cos(2 * pi * f * t - lag); }}; }

constexpr double kTurn = 2 * pi * 50;  ///< rad/s

}  // namespace

TEST_CASE("doubts about cycles are raised just over their threshold and not just under", "[power][doubts]") {
  CHECK(doubted(read({voltage(), current(0.3)}, 1560), "periods.few"));
  CHECK_FALSE(doubted(read({voltage(), current(0.3)}, 1640), "periods.few"));
  // A frequency that climbs by a share over the record is half of that from its first half to its second.
  const auto climbing = [](double share) {
    const double whole = 8000 / 20e3;
    const auto phase = [=](double t) { return 2 * pi * 50 * (t + share * (t * t / (2 * whole) - t / 2)); };
    return read({{"v", [=](double t) { return 325 * std::cos(phase(t)); }}, {"i", [=](double t) { return std::cos(phase(t) - 0.2); }}}, 8000);
  };
  CHECK(doubted(climbing(2.2e-3), "frequency.unsteady"));
  CHECK_FALSE(doubted(climbing(1.8e-3), "frequency.unsteady"));
  const auto at = [](double f) { return read({voltage(f), current(0.2, f)}, 4096, 20e3, {{"class", "A"}}); };
  CHECK(doubted(at(52.6), "frequency.unusual"));
  CHECK_FALSE(doubted(at(52.4), "frequency.unusual"));
  const auto sampled = [](double rate) { return read({voltage(), current(0.2)}, 4096, rate, {{"class", "A"}}); };
  CHECK(doubted(sampled(3990), "sampling.coarse"));
  CHECK_FALSE(doubted(sampled(4020), "sampling.coarse"));
}

TEST_CASE("doubts about channels are raised just over their threshold and not just under", "[power][doubts]") {
  const auto with = [](auto change, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}, double lag = 0.3) {
    auto v = voltage();
    auto i = current(lag);
    change(v, i);
    return read({v, i}, 4096, 20e3, settings, asked);
  };
  CHECK(doubted(with([](Given& v, Given&) { v.range = 3260; }), "range.underused"));
  CHECK_FALSE(doubted(with([](Given& v, Given&) { v.range = 3240; }), "range.underused"));
  CHECK(doubted(with([](Given&, Given& i) { i.u_offset = 0.102; }), "offset.uncorrected"));
  CHECK_FALSE(doubted(with([](Given&, Given& i) { i.u_offset = 0.098; }), "offset.uncorrected"));
  CHECK(doubted(with([](Given& v, Given&) { v.u_gain = 0.0202; }, {}, {"voltage.rms"}), "noise.limited"));
  CHECK_FALSE(doubted(with([](Given& v, Given&) { v.u_gain = 0.0198; }, {}, {"voltage.rms"}), "noise.limited"));
  // At 45 degrees the power moves by what the current is turned by: 2 % are 0.02 rad.
  CHECK(doubted(with([](Given&, Given& i) { i.u_delay = 0.0202 / kTurn; }, {}, {}, pi / 4), "skew.suspected"));
  CHECK_FALSE(doubted(with([](Given&, Given& i) { i.u_delay = 0.0198 / kTurn; }, {}, {}, pi / 4), "skew.suspected"));
  // Beyond a quarter turn by a little: power that comes out by three times what the delay leaves open.
  const auto beyond = [&](double by) { return with([](Given&, Given& i) { i.u_delay = 0.01 / kTurn; }, {}, {}, pi / 2 + std::atan(by * 0.01)); };
  CHECK(doubted(beyond(3.1), "wiring.sign"));
  CHECK_FALSE(doubted(beyond(2.9), "wiring.sign"));
  // A corner takes a hundredth where it lies at 0.1425 of the fundamental.
  CHECK(doubted(with([](Given&, Given& i) { i.low_corner = 0.145 * 50; }), "sensor.no_dc"));
  CHECK_FALSE(doubted(with([](Given&, Given& i) { i.low_corner = 0.140 * 50; }), "sensor.no_dc"));
}

TEST_CASE("a phase that is dead is told from one that is weak", "[power][doubts]") {
  const auto with = [](double share) {
    std::vector<Given> given;
    for (const char phase : {'a', 'b', 'c'}) given.push_back({std::string("v") + phase, [=](double t) { return 325 * std::cos(kTurn * t - (phase - 'a') * 2 * pi / 3); }});
    for (const char phase : {'a', 'b', 'c'}) given.push_back({std::string("i") + phase, [=](double t) { return (phase == 'b' ? share : 1) * std::cos(kTurn * t - (phase - 'a') * 2 * pi / 3 - 0.2); }});
    return read(given, 4096);
  };
  CHECK(doubted(with(0.0098), "phase.dead"));
  CHECK_FALSE(doubted(with(0.0102), "phase.dead"));
}

TEST_CASE("of a record that is too long to be read at once it is said how much was", "[power][doubts][memory]") {
  constexpr std::size_t kMost = std::size_t(1) << 24;
  const auto of = [](std::size_t samples, const study::SettingsText& more = {}) {
    study::Point point{.setting = nlohmann::json::object(), .records = {}};
    study::Channel channel{.role = "i", .unit = "A", .scale = 1e-3};
    channel.counts.assign(samples, 5);
    point.records.push_back({.sample_rate = 1e6, .channels = {channel}});
    study::SettingsText settings = {{"method", "profile"}};
    settings.insert(more.begin(), more.end());
    const auto analysis = study::power::kind().analyse({point}, settings, {});
    if (!analysis) FAIL(analysis.error().message);
    return analysis->reading;
  };
  const auto cut = of(kMost + 1);
  CHECK(doubted(cut, "record.long"));
  CHECK(cut.find("profile.charge")->value == Approx(5e-3 * double(kMost) / 1e6));
  CHECK_FALSE(doubted(of(kMost), "record.long"));
  // A part of it is read whole.
  CHECK_FALSE(doubted(of(kMost + 1000, {{"from", "16.7 s"}}), "record.long"));
  CHECK_FALSE(doubted(of(kMost + 1000, {{"to", "1 s"}}), "record.long"));
}

TEST_CASE("an input that stands at its end is doubted where its end is known, or where it stands there for long", "[power][doubts]") {
  const auto clipped = [](double top, std::optional<double> range) {
    auto i = current(0.3);
    const auto of = i.of;
    i.of = [=](double t) { return std::min(top, of(t)); };
    i.range = range;
    const auto r = read({voltage(), i}, 4096);
    return doubted(r, "input.clipped");
  };
  CHECK_FALSE(clipped(11, {}));
  // Above 0.95 of its peak a sine is for a tenth of its time, above 0.999 for 1.4 %.
  CHECK(clipped(9.5, {}));
  CHECK_FALSE(clipped(9.99, {}));
  // What sleeps rests on its lowest value by itself.
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Channel channel{.role = "i", .unit = "A"};
  for (int k = 0; k < 4000; ++k) channel.numbers.push_back(k % 1000 < 900 ? 1e-3 : 0.1);
  point.records.push_back({.sample_rate = 1e3, .channels = {channel}});
  const auto slept = study::power::kind().analyse({point}, {{"method", "profile"}}, {});
  REQUIRE(slept);
  CHECK_FALSE(doubted(slept->reading, "input.clipped"));
}

TEST_CASE("a current that repeats more slowly than its voltage by over a tenth is doubted", "[power][doubts]") {
  const auto with = [](double f) { return doubted(read({voltage(), current(0.3, f)}, 16384), "frequency.unlike"); };
  CHECK(with(44.5));
  CHECK_FALSE(with(45.5));
  CHECK_FALSE(with(50));
  CHECK_FALSE(with(60));
}

TEST_CASE("phases that all turn the other way are told against what is expected, and how late they are by phase", "[power][doubts]") {
  const auto with = [](bool v_back, bool i_back, double u_delay, const study::SettingsText& settings) {
    std::vector<Given> given;
    for (const char letter : {'v', 'i'})
      for (const char phase : {'a', 'b', 'c'}) {
        const double turn = (phase - 'a') * 2 * pi / 3 * ((letter == 'v' ? v_back : i_back) ? -1 : 1);
        Given one{std::string(1, letter) + phase, [=](double t) { return (letter == 'v' ? 325 : 4) * std::cos(kTurn * t - turn - (letter == 'v' ? 0 : pi / 4)); }};
        if (letter == 'i') one.u_delay = u_delay;
        given.push_back(std::move(one));
      }
    return read(given, 4096, 20e3, settings);
  };
  CHECK_FALSE(doubted(with(true, true, 0, {}), "wiring.sequence"));
  CHECK_FALSE(doubted(with(true, true, 0, {{"sequence", "acb"}}), "wiring.sequence"));
  CHECK(said(with(true, true, 0, {{"sequence", "abc"}}), "wiring.sequence") == "The phases turn acb, abc was expected.");
  CHECK(said(with(false, false, 0, {{"sequence", "acb"}}), "wiring.sequence") == "The phases turn abc, acb was expected.");
  CHECK(said(with(false, true, 0, {}), "wiring.sequence") == "The voltages turn abc, the currents acb: two phases of one of them are exchanged.");
  CHECK(said(with(true, false, 0, {}), "wiring.sequence") == "The voltages turn acb, the currents abc: two phases of one of them are exchanged.");
  CHECK(doubted(with(false, false, 0.0202 / kTurn, {}), "skew.suspected"));
  CHECK_FALSE(doubted(with(false, false, 0.0198 / kTurn, {}), "skew.suspected"));
}

TEST_CASE("a doubt of power says of what, by how much and what to do", "[power][doubts]") {
  auto i = current(0.3);
  const auto clipped = [&](double high, double low) {
    auto own = i;
    own.of = [=, of = i.of](double t) { return std::clamp(of(t), low, high); };
    return said(read({voltage(), own}, 4000), "input.clipped");
  };
  // Above 0.95 of its peak a sine is for acos(0.95)/pi of its period of 400 samples.
  CHECK(clipped(9.5, -20) == "i stands at the end of what can be read, 9.50 A, for 41 samples: what lies beyond is lost.");
  CHECK(clipped(9.9, -9) == "i stands at the end of what can be read, \u22129.00 A, for 57 samples: what lies beyond is lost.");
  auto small = current(0.3, 50, 0.5);
  small.range = 40;
  CHECK(said(read({voltage(), small}, 4096), "range.underused") == "i uses 1.2 % of its range of 40.0 A.");
  small.count = 1.22e-3;
  CHECK(said(read({voltage(), small}, 4096), "range.underused") == "i uses 1.3 % of its range of 40.0 A: one count is 1.2 mA.");
  small.u_offset = 0.0051;
  CHECK(said(read({voltage(), small}, 4096), "offset.uncorrected") == "The zero of i is known to 5.1 mA, which is 1 % of its largest value: what stands still in it is not told.");
  const auto coarse = doubt(read({voltage(), current(0.2)}, 4096, 2520, {{"class", "A"}}), "sampling.coarse");
  CHECK(coarse.text == "Half the sample rate lies at harmonic 25: the 15 above are not read.");
  REQUIRE(coarse.edits.size() == 1);
  CHECK(coarse.edits.front().first == "rate");
  CHECK(test::spaced(coarse.edits.front().second) == "5 kHz");
  CHECK(said(read({voltage(), current(0.3)}, 1560), "periods.few") == "The record holds 3 whole cycles: means over so few say little of how steady they are.");
  // Of an angle no share can be told.
  auto late = current(0.1);
  late.u_delay = 0.5 * 0.1 / kTurn;
  CHECK_FALSE(doubted(read({voltage(), late}, 4096, 20e3, {}, {"angle.current"}), "noise.limited"));
  CHECK_THAT(said(read({voltage(), late}, 4096, 20e3, {}, {"angle.current", "power.reactive", "frequency"}), "noise.limited"), Catch::Matchers::Contains("no better than 2 %: Reactive power."));
  // Each mains has its twentieth on either side.
  for (const double mains : {16.7, 60.0, 400.0}) {
    const auto at = [&](double share) { return doubted(read({voltage(share * mains), current(0.2, share * mains)}, 20000, 40e3, {{"class", "A"}}), "frequency.unusual"); };
    CAPTURE(mains);
    CHECK(at(1.0507));
    CHECK_FALSE(at(1.0493));
    CHECK(at(0.9493));
    CHECK_FALSE(at(0.9507));
  }
}

TEST_CASE("doubts of what is missing or nothing are not raised", "[power][doubts]") {
  // A channel that shows nothing at all has no share that its zero could be.
  auto nothing = current(0);
  nothing.of = [](double) { return 0.0; };
  nothing.u_offset = 1e-3;
  CHECK_FALSE(doubted(read({voltage(), nothing}, 4096), "offset.uncorrected"));
  // Three of one kind alone: a dead one is told, and nothing of what goes between the kinds.
  for (const char letter : {'v', 'i'}) {
    std::vector<Given> given;
    for (const char phase : {'a', 'b', 'c'})
      given.push_back({std::string(1, letter) + phase, [=](double t) { return (phase == 'c' ? 1e-3 : 10.0) * std::cos(kTurn * t - (phase - 'a') * 2 * pi / 3); }});
    const auto r = read(given, 4096);
    int dead = 0;
    for (const auto& d : r.doubts) {
      dead += d.key == "phase.dead";
      CHECK_FALSE(d.key.starts_with("wiring."));
    }
    CHECK(dead == 1);
    CHECK(said(r, "phase.dead") == std::string(1, letter) + "c shows nothing at 50.0 Hz, where the other phases do.");
  }
  // A current that flows one way uses its range by how far it goes that way.
  auto one_way = current(0.3, 50, 3);
  one_way.of = [of = one_way.of](double t) { return 3 + of(t); };
  one_way.range = 40;
  CHECK_FALSE(doubted(read({voltage(), one_way}, 4096), "range.underused"));
  // Without a corner nothing of DC is lost, however it is read.
  CHECK_FALSE(doubted(read({voltage(), current(0.3)}, 8192, 20e3, {{"method", "switch_on"}}), "sensor.no_dc"));
  CHECK_FALSE(doubted(read({voltage(), current(0.3)}, 8192, 20e3, {{"method", "profile"}}), "sensor.no_dc"));
  // Power that comes out is told although nothing is known of what it is off by.
  CHECK(doubted(read({voltage(), current(pi - 1.5, 50, 0.1)}, 4096), "wiring.sign"));
  // A sleep that rests on its lowest value is none of an input's end, a burst on the top of a range is.
  const auto bursts = [](double range) {
    study::Point point{.setting = nlohmann::json::object(), .records = {}};
    study::Channel channel{.role = "i", .unit = "A", .scale = 0.1 / 32767, .range = range};
    for (int k = 0; k < 4000; ++k) channel.counts.push_back(k % 1000 < 900 ? 300 : 32767);
    point.records.push_back({.sample_rate = 1e3, .channels = {channel}});
    const auto slept = study::power::kind().analyse({point}, {{"method", "profile"}}, {});
    if (!slept) FAIL(slept.error().message);
    return doubted(slept->reading, "input.clipped");
  };
  CHECK(bursts(0.1));
  // A frequency that moves while something is switched on is what is looked at.
  const auto phase = [](double t) { return 2 * pi * 50 * (t + 0.01 * t * t); };
  const std::vector<Given> climbing = {{"v", [=](double t) { return 325 * std::cos(phase(t)); }}, {"i", [=](double t) { return std::cos(phase(t) - 0.2); }}};
  CHECK(doubted(read(climbing, 8000), "frequency.unsteady"));
  CHECK_FALSE(doubted(read(climbing, 8000, 20e3, {{"method", "switch_on"}}), "frequency.unsteady"));
  CHECK(said(read({voltage(52.6), current(0.2, 52.6)}, 4096, 20e3, {{"class", "A"}}), "frequency.unusual") == "The fundamental is 52.60 Hz, which is none of mains: the class's limits are made for those.");
  auto drooping = current(0.3);
  drooping.low_corner = 10;
  CHECK(said(read({voltage(), drooping}, 4096), "sensor.no_dc") == "The sensor of i has a corner at 10.0 Hz: it takes 1.9 % of the fundamental and turns it by 11 deg, which is put right as well as the corner is known.");
  auto late = current(pi / 4);
  late.u_delay = 0.0202 / kTurn;
  CHECK(said(read({voltage(), late}, 4096), "skew.suspected") == "How late voltage and current are against each other is known to 64 µs, which is 1.2 deg and moves Active power by 2 %.");
}

TEST_CASE("phases are dead beside any one that is not", "[power][doubts]") {
  for (const char lives : {'a', 'b', 'c'}) {
    std::vector<Given> given;
    for (const char phase : {'a', 'b', 'c'}) given.push_back({std::string("v") + phase, [=](double t) { return 325 * std::cos(kTurn * t - (phase - 'a') * 2 * pi / 3); }});
    for (const char phase : {'a', 'b', 'c'}) given.push_back({std::string("i") + phase, [=](double t) { return (phase == lives ? 1 : 0.005) * std::cos(kTurn * t - (phase - 'a') * 2 * pi / 3 - 0.2); }});
    const auto r = read(given, 4096);
    std::string others;
    for (const char phase : {'a', 'b', 'c'})
      if (phase != lives) others += (others.empty() ? "i" : " and i") + std::string(1, phase);
    CHECK(said(r, "phase.dead") == others + " show nothing at 50.0 Hz, where the third phase does.");
  }
}

TEST_CASE("a sensor without DC loses what stands still, and is told where that matters", "[power][doubts]") {
  const auto with = [](const study::SettingsText& settings) {
    auto i = current(0.3);
    i.low_corner = 1;
    return read({voltage(), i}, 8192, 20e3, settings);
  };
  CHECK_FALSE(doubted(with({}), "sensor.no_dc"));
  CHECK(doubted(with({{"method", "switch_on"}}), "sensor.no_dc"));
  CHECK(doubted(with({{"method", "profile"}}), "sensor.no_dc"));
  // Cycles that cannot be told leave what stands still.
  auto flat = current(0);
  flat.of = [](double) { return 2.0; };
  flat.low_corner = 1;
  auto steady = voltage();
  steady.of = [](double) { return 12.0; };
  CHECK(doubted(read({steady, flat}, 4096), "sensor.no_dc"));
}

}  // namespace power_doubts
