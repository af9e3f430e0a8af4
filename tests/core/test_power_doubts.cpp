#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "study/power/kind.h"
#include "study/power/settings.h"

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
};

study::Reading read(const std::vector<Given>& given, std::size_t samples, double rate = 20e3, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  nlohmann::json setting = nlohmann::json::object();
  study::Record record{.sample_rate = rate};
  for (const auto& g : given) {
    const std::string unit = g.name[0] == 'v' ? "V" : "A";
    study::Channel channel{.role = g.name, .unit = unit};
    for (std::size_t k = 0; k < samples; ++k) channel.numbers.push_back(g.of(double(k) / rate));
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

}  // namespace power_doubts
