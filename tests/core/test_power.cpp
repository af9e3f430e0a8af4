#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/power/check.h"
#include "study/power/figures.h"
#include "study/power/kind.h"
#include "study/power/limits.h"
#include "study/power/reduced.h"
#include "study/power/steady.h"
#include "support.h"

using namespace heron;

namespace power_figures {
namespace {

using std::numbers::pi;
using std::numbers::sqrt2;
namespace power = study::power;

constexpr double kRate = 20e3;

struct Row {
  std::string name;
  std::vector<double> values;
};

study::Point point_of(const std::vector<Row>& rows, double rate = kRate) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = rate};
  for (const auto& row : rows) {
    study::Channel channel{.role = row.name, .unit = row.name[0] == 'v' ? "V" : "A"};
    channel.numbers = row.values;
    record.channels.push_back(std::move(channel));
  }
  point.records.push_back(std::move(record));
  return point;
}

Row row(std::string name, std::size_t n, const std::function<double(double)>& of, double noise = 0, unsigned seed = 1, double rate = kRate) {
  std::mt19937_64 random(seed + name.size() + std::hash<std::string>{}(name) % 1000);
  Row out{std::move(name), std::vector<double>(n)};
  for (std::size_t k = 0; k < n; ++k) out.values[k] = of(double(k) / rate) + (noise > 0 ? noise * normal_deviate(random) : 0);
  return out;
}

study::Reading read(const std::vector<Row>& rows, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}, double rate = kRate) {
  const auto analysis = power::kind().analyse({point_of(rows, rate)}, settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

double value(const study::Reading& r, const std::string& key) {
  const auto* f = r.find(key);
  if (!f)
    for (const auto& a : r.absent)
      if (a.key == key) FAIL(key << ": " << a.reason);
  if (!f) FAIL(key);
  return f->value;
}

std::string why_not(const study::Reading& r, const std::string& key) {
  for (const auto& a : r.absent)
    if (a.key == key) return a.reason;
  return {};
}

bool doubted(const study::Reading& r, std::string_view key) {
  return std::any_of(r.doubts.begin(), r.doubts.end(), [&](const auto& d) { return d.key == key; });
}

/// Three phases, cosines a third of a turn apart, the currents behind by an angle.
std::vector<Row> three(std::size_t n, double v, double i, double lag, double f = 50.02, double noise = 0, unsigned seed = 1) {
  std::vector<Row> out;
  const char* ends = "abc";
  for (int p = 0; p < 3; ++p) out.push_back(row(std::string("v") + ends[p], n, [=](double t) { return v * std::cos(2 * pi * (f * t - p / 3.0)); }, noise * v, seed));
  for (int p = 0; p < 3; ++p) out.push_back(row(std::string("i") + ends[p], n, [=](double t) { return i * std::cos(2 * pi * (f * t - p / 3.0) - lag); }, noise * i, seed));
  return out;
}

}  // namespace

TEST_CASE("powers of a distorted voltage and current are their closed forms, with any number of cycles", "[power]") {
  // Fundamental, third of the voltage, third and fifth of the current.
  const double v1 = 325, v3 = 10, i1 = 8, i3 = 2, i5 = 1, phi = 0.5;
  const double vrms = std::sqrt((v1 * v1 + v3 * v3) / 2), irms = std::sqrt((i1 * i1 + i3 * i3 + i5 * i5) / 2);
  const double active = v1 * i1 / 2 * std::cos(phi) + v3 * i3 / 2 * std::cos(0.2), reactive = v1 * i1 / 2 * std::sin(phi);
  for (const auto& [f, n] : {std::pair{50.0, 4096}, {49.3, 4096}, {61.7, 4000}, {50.0, 1001}, {53.1, 1500}}) {
    CAPTURE(f, n);
    const auto w = [f = f](double t) { return 2 * pi * f * t + 0.3; };
    const auto r = read({row("v", std::size_t(n), [&](double t) { return v1 * std::cos(w(t)) + v3 * std::cos(3 * w(t)); }),
                         row("i", std::size_t(n), [&](double t) { return i1 * std::cos(w(t) - phi) + i3 * std::cos(3 * w(t) - 0.2) + i5 * std::cos(5 * w(t)); })});
    CHECK(value(r, "frequency") == Approx(f).epsilon(2e-6));
    CHECK(value(r, "voltage.rms") == Approx(vrms).epsilon(1e-4));
    CHECK(value(r, "current.rms") == Approx(irms).epsilon(1e-4));
    CHECK(value(r, "power.active") == Approx(active).epsilon(1e-4));
    CHECK(value(r, "power.apparent") == Approx(vrms * irms).epsilon(2e-4));
    CHECK(value(r, "power.reactive") == Approx(reactive).epsilon(3e-4));
    CHECK(value(r, "power_factor") == Approx(active / (vrms * irms)).epsilon(2e-4));
    CHECK(value(r, "power_factor.displacement") == Approx(std::cos(phi)).epsilon(1e-4));
    CHECK(value(r, "angle.current") == Approx(phi * 180 / pi).margin(0.01));
    CHECK(value(r, "thd.voltage") == Approx(100 * v3 / v1).epsilon(1e-3));
    CHECK(value(r, "thd.current") == Approx(100 * std::hypot(i3, i5) / i1).epsilon(1e-3));
    CHECK(value(r, "harmonic.current.5") == Approx(i5 / sqrt2).epsilon(1e-3));
    double crest = 0;
    for (double t = 0; t < 2 * pi; t += 1e-4) crest = std::max(crest, std::abs(i1 * std::cos(t - phi) + i3 * std::cos(3 * t - 0.2) + i5 * std::cos(5 * t)));
    CHECK(value(r, "current.crest") == Approx(crest / irms).epsilon(2e-3));
  }
}

TEST_CASE("a lagging current gives reactive power above zero, a leading one below", "[power]") {
  const auto of = [](double lag) {
    return read({row("v", 4096, [](double t) { return 100 * std::sin(2 * pi * 50 * t); }), row("i", 4096, [=](double t) { return std::sin(2 * pi * 50 * t - lag); })});
  };
  CHECK(value(of(0.4), "power.reactive") > 0);
  CHECK(value(of(0.4), "angle.current") > 0);
  CHECK(value(of(-0.4), "power.reactive") < 0);
  CHECK(value(of(-0.4), "angle.current") < 0);
}

TEST_CASE("three phases have IEEE 1459 totals, by star and from line to line alike", "[power]") {
  const double v = 325, i = 10, lag = pi / 6;
  const auto rows = three(4096, v, i, lag);
  const auto r = read(rows);
  CHECK(value(r, "power.active") == Approx(3 * v * i / 2 * std::cos(lag)).epsilon(1e-4));
  CHECK(value(r, "power.reactive") == Approx(3 * v * i / 2 * std::sin(lag)).epsilon(1e-4));
  CHECK(value(r, "power.apparent") == Approx(3 * v * i / 2).epsilon(1e-4));
  CHECK(value(r, "power_factor") == Approx(std::cos(lag)).epsilon(1e-4));
  for (const char* key : {"angle.ab", "angle.bc", "angle.ca"}) CHECK(value(r, key) == Approx(120).margin(0.01));
  CHECK(value(r, "sequence") == 1);
  CHECK(value(r, "unbalance.voltage") < 0.01);
  CHECK(why_not(r, "thd.current").empty());
  // From line to line: v_ab = v_a - v_b and so on.
  std::vector<Row> lines;
  const std::pair<const char*, std::pair<int, int>> pairs[] = {{"vab", {0, 1}}, {"vbc", {1, 2}}, {"vca", {2, 0}}};
  for (const auto& [name, of] : pairs) {
    Row one{name, rows[std::size_t(of.first)].values};
    for (std::size_t k = 0; k < one.values.size(); ++k) one.values[k] -= rows[std::size_t(of.second)].values[k];
    lines.push_back(std::move(one));
  }
  lines.insert(lines.end(), rows.begin() + 3, rows.end());
  const auto l = read(lines);
  for (const char* key : {"power.active", "power.reactive", "power.apparent", "voltage.rms.a", "power.active.b", "angle.current.c", "angle.ab", "voltage.crest.b"}) CHECK(value(l, key) == Approx(value(r, key)).epsilon(1e-3));
}

TEST_CASE("an unbalanced system is taken apart into its components", "[power]") {
  // 100 along, 4 against, and a neutral share of 3 that no unbalance sees.
  std::vector<Row> rows;
  const double f = 50;
  for (int p = 0; p < 3; ++p) {
    const auto wave = [=](double t) { return 100 * std::cos(2 * pi * (f * t - p / 3.0)) + 4 * std::cos(2 * pi * (f * t + p / 3.0) + 0.7) + 3 * std::cos(2 * pi * f * t + 0.2); };
    rows.push_back(row(std::string("v") + "abc"[p], 4096, wave));
  }
  for (int p = 0; p < 3; ++p) rows.push_back(row(std::string("i") + "abc"[p], 4096, [=](double t) { return 2 * std::cos(2 * pi * (f * t - p / 3.0)); }));
  const auto r = read(rows);
  CHECK(value(r, "unbalance.voltage") == Approx(4).epsilon(1e-3));
  CHECK(value(r, "unbalance.current") < 1e-3);
  // Four wires: Ve2 = (3 sum Vph2 + sum Vll2)/18, each component by its own share: along and against as they are, the
  // neutral one by half.
  const double ve = std::sqrt((100 * 100 + 4 * 4 + 3 * 3 / 2.0) / 2), ie = 2 / sqrt2;
  CHECK(value(r, "power.apparent") == Approx(3 * ve * ie).epsilon(1e-3));
}

TEST_CASE("limits of the classes are those of the standard", "[power]") {
  using power::LimitClass;
  CHECK(*power::limit_of(LimitClass::a, 3, {}) == 2.30);
  CHECK(*power::limit_of(LimitClass::a, 15, {}) == Approx(0.15));
  CHECK(*power::limit_of(LimitClass::a, 39, {}) == Approx(0.15 * 15 / 39));
  CHECK(*power::limit_of(LimitClass::a, 8, {}) == Approx(0.23));
  CHECK(*power::limit_of(LimitClass::a, 40, {}) == Approx(0.23 * 8 / 40));
  CHECK(*power::limit_of(LimitClass::b, 5, {}) == Approx(1.71));
  CHECK(*power::limit_of(LimitClass::c, 3, {.fundamental = 2, .power_factor = 0.9}) == Approx(0.54));
  CHECK(*power::limit_of(LimitClass::c, 11, {.fundamental = 2}) == Approx(0.06));
  CHECK_FALSE(power::limit_of(LimitClass::c, 4, {.fundamental = 2}));
  CHECK(*power::limit_of(LimitClass::d, 3, {.power = 100}) == Approx(0.34));
  CHECK(*power::limit_of(LimitClass::d, 3, {.power = 5000}) == 2.30);
  CHECK(*power::limit_of(LimitClass::d, 13, {.power = 100}) == Approx(0.385 / 13));
  CHECK_FALSE(power::limit_of(LimitClass::d, 2, {.power = 100}));
  for (const int order : {-1, 0, 1, 41}) CHECK_FALSE(power::limit_of(LimitClass::a, order, {}));
  const auto r = read({row("v", 4096, [](double t) { return 325 * std::cos(2 * pi * 50 * t); }), row("i", 4096, [](double t) { return std::cos(2 * pi * 50 * t) + 1.2 * sqrt2 * std::cos(2 * pi * 250 * t); })}, {{"class", "A"}});
  CHECK(value(r, "harmonic.margin") == Approx(100 * (1 - 1.2 / 1.14)).epsilon(1e-3));
  CHECK(value(r, "harmonic.margin.at") == 5);
  CHECK_THAT(why_not(read({row("v", 4096, [](double t) { return std::cos(2 * pi * 50 * t); }), row("i", 4096, [](double t) { return std::cos(2 * pi * 50 * t); })}, {}, {"harmonic.margin"}), "harmonic.margin"),
             Catch::Matchers::Contains("class is not set"));
}

TEST_CASE("an inrush that decays onto a steady current has its closed forms", "[power][inrush]") {
  // Before 0.05 s nothing; then 4 A peak with an offset that decays with 30 ms.
  const double f = 50, on = 0.05, i = 4, tau = 30e-3, rate = 50e3;
  const std::size_t n = 30001;
  const auto wave = [&](double t) { return t < on ? 0.0 : i * (-std::cos(2 * pi * f * (t - on)) + std::exp(-(t - on) / tau)); };
  const auto r = read({row("v", n, [&](double t) { return 325 * std::sin(2 * pi * f * (t - on)); }, 0, 1, rate), row("i", n, wave, 0, 1, rate)}, {{"method", "switch_on"}}, {}, rate);
  double peak = 0, lowest = 0, squares = 0;
  const double step = 1e-6, end = double(n - 1) / rate;
  for (double t = on; t < end; t += step) {
    peak = std::max(peak, wave(t));
    lowest = std::min(lowest, wave(t));
    squares += wave(t) * wave(t) * step;
  }
  CHECK(value(r, "inrush.peak.positive") == Approx(peak).epsilon(1e-4));
  CHECK(value(r, "inrush.peak.negative") == Approx(lowest).epsilon(1e-4));
  CHECK(value(r, "inrush.i2t") == Approx(squares).epsilon(1e-3));
  CHECK(value(r, "steady.rms") == Approx(i / sqrt2).epsilon(1e-3));
  CHECK(value(r, "idle.rms") < 1e-4);
  // Half a cycle of a decay and a cosine, in small steps.
  const auto half_rms = [&](double at) {
    double sum = 0;
    constexpr int kParts = 200;
    for (int k = 0; k < kParts; ++k) sum += std::pow(wave(at + (k + 0.5 - kParts / 2.0) / kParts * 0.5 / f), 2) / kParts;
    return std::sqrt(sum);
  };
  double settled = end - 0.5 / f, highest = 0;
  for (double t = end - 0.5 / f; t > on && std::abs(half_rms(t) / (i / sqrt2) - 1) < 0.1; t -= 2e-5) settled = t;
  for (double t = 0.01; t < end - 0.01; t += 1e-4) highest = std::max(highest, half_rms(t));
  // It begins once it is beyond a twentieth of the largest peak.
  double begins = on;
  while (std::abs(wave(begins)) < 0.05 * peak) begins += 1e-6;
  CHECK(value(r, "inrush.settled_after") == Approx(settled - begins).margin(1e-4));
  CHECK(value(r, "inrush.rms.max") == Approx(highest).epsilon(1e-3));
}

TEST_CASE("on a direct feed a window stands for the half cycle", "[power][inrush]") {
  const double rate = 10e3, tau = 0.04;
  const auto r = read({row("v", 10000, [](double t) { return t < 0.1 ? 0.0 : 12.0; }, 0, 1, rate), row("i", 10000, [&](double t) { return t < 0.1 ? 0.0 : 2 + 18 * std::exp(-(t - 0.1) / tau); }, 0, 1, rate)},
                      {{"window", "20 ms"}}, {"power.active"}, rate);
  CHECK(value(r, "inrush.peak.positive") == Approx(20).epsilon(1e-3));
  CHECK(value(r, "steady.rms") == Approx(2).epsilon(1e-3));
  // Mean square of 2 + 18 e^(-t/tau) over 20 ms about t, within a tenth of 2 A: worked out by itself.
  const auto rms = [&](double t) {
    const double a = t - 0.01, b = t + 0.01;
    const auto integral = [&](double x) { return 4 * x - 72 * tau * std::exp(-x / tau) - 162 * tau * std::exp(-2 * x / tau); };
    return std::sqrt((integral(b) - integral(a)) / 0.02);
  };
  double settled = 0.5;
  while (rms(settled) < 2.2) settled -= 1e-5;
  while (rms(settled) > 2.2) settled += 1e-5;
  CHECK(value(r, "inrush.settled_after") == Approx(settled).margin(3e-4));
  CHECK_THAT(why_not(r, "power.active"), Catch::Matchers::Contains("no fundamental"));
}

TEST_CASE("a profile from sleep to burst has its states, wakes and life", "[power][profile]") {
  // Ten seconds at 1 kHz: 8 uA asleep, 6 mA listening, bursts of 90 mA; three wakes of 0.4 s with a burst of 50 ms each.
  constexpr std::size_t n = 10000;
  const auto wave = [](double t) {
    const double in = std::fmod(t, 3.0) - 1;
    return in < 0 || in >= 0.4 ? 8e-6 : in >= 0.1 && in < 0.15 ? 90e-3 : 6e-3;
  };
  const auto rows = std::vector<Row>{row("i", n, [&](double t) { return wave(t + 1e-9); }, 0, 1, 1e3)};
  const auto r = read(rows, {{"method", "profile"}, {"battery", "19 Ah"}}, {"profile.state.2.level", "profile.state.4.level"}, 1e3);
  const double charge = 3 * (0.35 * 6e-3 + 0.05 * 90e-3) + (10 - 1.2) * 8e-6;
  CHECK(value(r, "profile.charge") == Approx(charge).epsilon(1e-6));
  CHECK(value(r, "profile.mean") == Approx(charge / 10).epsilon(1e-6));
  CHECK(value(r, "profile.peak") == Approx(90e-3));
  CHECK(value(r, "profile.sleep") == Approx(8e-6).epsilon(1e-9));
  CHECK(value(r, "profile.state.2.level") == Approx(6e-3).epsilon(1e-9));
  CHECK(value(r, "profile.state.1.share") == Approx(0.88).margin(1e-3));
  CHECK_THAT(why_not(r, "profile.state.4.level"), Catch::Matchers::Contains("not so many"));
  // Active is above sqrt(8 uA 90 mA) = 0.85 mA.
  CHECK(value(r, "profile.wake.count") == 3);
  CHECK(value(r, "profile.active") == Approx((0.35 * 6e-3 + 0.05 * 90e-3) / 0.4).epsilon(1e-3));
  CHECK(value(r, "profile.active.share") == Approx(0.12).margin(1e-3));
  CHECK(value(r, "profile.wake.charge") == Approx(0.35 * 6e-3 + 0.05 * 90e-3 - 0.4 * 8e-6).epsilon(3e-3));
  CHECK(value(r, "profile.life") == Approx(19 * 3600 / (charge / 10)).epsilon(1e-6));
  CHECK_FALSE(doubted(r, "input.clipped"));
  CHECK_THAT(why_not(r, "profile.energy"), Catch::Matchers::Contains("voltage"));
  // Wakes of 0.4 s are glitches to whoever says so.
  CHECK(value(read(rows, {{"method", "profile"}, {"glitch", "0.5 s"}}, {}, 1e3), "profile.wake.count") == 0);
  // One level alone is no wake.
  const auto still = read({row("i", 1000, [](double) { return 5e-3; }, 0, 1, 1e3)}, {{"method", "profile"}}, {}, 1e3);
  CHECK(value(still, "profile.sleep") == Approx(5e-3));
  CHECK_THAT(why_not(still, "profile.wake.count"), Catch::Matchers::Contains("two states"));
}

TEST_CASE("what does not alternate, or hardly, has the reason", "[power][bad]") {
  const auto flat = read({row("v", 2000, [](double) { return 12.0; }), row("i", 2000, [](double) { return 1.0; })}, {}, {"power.active"});
  CHECK_THAT(why_not(flat, "power.active"), Catch::Matchers::Contains("fundamental"));
  const auto one = read({row("v", 420, [](double t) { return 325 * std::cos(2 * pi * 50 * t); }), row("i", 420, [](double t) { return std::cos(2 * pi * 50 * t); })}, {}, {"power.active"});
  CHECK_THAT(why_not(one, "power.active"), Catch::Matchers::Contains("two whole cycles"));
  // Two are read, and doubted.
  const auto two = read({row("v", 840, [](double t) { return 325 * std::cos(2 * pi * 50 * t); }), row("i", 840, [](double t) { return std::cos(2 * pi * 50 * t); })}, {}, {"power.active"});
  CHECK(value(two, "power.active") == Approx(162.5).epsilon(1e-4));
  CHECK(doubted(two, "periods.few"));
  const auto error = [](const std::vector<Row>& rows, const study::SettingsText& settings = {}) {
    const auto analysis = power::kind().analyse({point_of(rows)}, settings, {});
    return analysis ? Error{} : analysis.error();
  };
  auto rows = three(1000, 100, 1, 0);
  rows.erase(rows.begin() + 2);
  CHECK(error(rows).fault == Fault::input);
  CHECK_THAT(error(rows).message, Catch::Matchers::Contains("vc is missing"));
  CHECK_THAT(error({row("x", 100, [](double) { return 0.0; })}, {{"wire.v", "y"}}).message, Catch::Matchers::Contains("no quantity \"y\""));
  rows = three(1000, 100, 1, 0);
  rows[1].values.pop_back();
  CHECK(error(rows).fault == Fault::input);
  // Times of their own that step unevenly, or go back.
  const auto timed = [&](const std::vector<double>& times) {
    study::Point point{.setting = nlohmann::json::object(), .records = {}};
    study::Record record;
    record.channels.push_back({.role = "time", .unit = "s", .numbers = times});
    record.channels.push_back({.role = "i", .unit = "A", .numbers = std::vector<double>(times.size(), 1.0)});
    point.records.push_back(std::move(record));
    const auto analysis = power::kind().analyse({point}, {{"method", "profile"}}, {});
    return analysis ? Error{} : analysis.error();
  };
  CHECK_THAT(timed({0, 1, 2, 3, 5, 6, 7, 8}).message, Catch::Matchers::Contains("not even"));
  CHECK(timed({0, 1, 2, 1, 4, 5, 6, 7}).fault == Fault::input);
  // A phase that is dead.
  rows = three(4096, 100, 1, 0.2);
  for (auto& x : rows[4].values) x = 0;
  CHECK(doubted(read(rows), "phase.dead"));
  CHECK(doubted(read(three(4096, 100, 1, 0.2, 77), {{"class", "A"}}), "frequency.unusual"));
  for (const auto& [key, text] : {std::pair{"class", "E"}, {"wire.vd", "v"}, {"wire.ia", ""}, {"wire.ia", "0*i"}, {"battery", "19 V"}, {"battery", "-1 Ah"}, {"fuse", "10 ms"}, {"fuse", "1 s 5 A, 1 ms 9 A"}, {"sequence", "ab"},
                                  {"method", "steady"}, {"settle_band", "-1"}, {"step", "0 s"}, {"sample_rate", "nan"}}) {
    CAPTURE(key, text);
    power::Settings scratch;
    CHECK_FALSE(power::set(scratch, key, text));
  }
  for (const auto& [key, text] : {std::pair{"wire.ia", "-i_b"}, {"wire.ib", "10*i_c"}, {"battery", "800 mAh"}, {"battery", "68400 C"}, {"fuse", "10ms 80A, 100 ms 30 A"}, {"states", "sleep, listen, send"}}) {
    CAPTURE(key, text);
    power::Settings first, again;
    REQUIRE(power::set(first, key, text));
    REQUIRE(power::set(again, key, power::as_text(first).at(key)));
    CHECK(power::as_text(again) == power::as_text(first));
  }
  for (const char* good : {"power.active", "power.active.b", "harmonic.current.40.c", "harmonic.voltage.3", "watch.rail.count", "profile.state.3.share", "inrush.i2t.a"}) CHECK(power::check_figure_key(good));
  for (const char* bad : {"power", "harmonic.current.41", "harmonic.current.0", "profile.state.0.level", "angle.ab.a", "watch.rail", "power.active.d", ""}) CHECK_FALSE(power::check_figure_key(bad));
}

TEST_CASE("the wiring's trouble is found by its cause, and a sound one raises nothing", "[long][power][wiring]") {
  std::mt19937_64 random(11);
  std::uniform_real_distribution<double> unit(0, 1);
  int right = 0, wrong = 0, raised = 0;
  std::string missed;
  const auto look = [&](const std::vector<Row>& rows) {
    const auto waves = power::waveforms_of(point_of(rows), power::Settings{});
    REQUIRE(waves);
    const auto wiring = power::wiring_of(**waves, {});
    REQUIRE(wiring);
    const auto measured = power::measure(**waves, *wiring, {});
    REQUIRE(measured);
    REQUIRE(*measured);
    return power::check_wiring(**waves, *wiring, **measured, {});
  };
  // Unlike loads, power factors from 0.3 to 1 either way, a little unbalance of the supply.
  const auto sound = [&](double least) {
    std::vector<Row> rows;
    const double lag = std::acos(least + (1 - least) * unit(random)) * (unit(random) < 0.7 ? 1 : -1), f = 48 + 4 * unit(random), v = 100 + 250 * unit(random), i = 0.5 + 20 * unit(random);
    for (int p = 0; p < 3; ++p) {
      const double size = v * (1 + 0.01 * (unit(random) - 0.5));
      rows.push_back(row(std::string("v") + "abc"[p], 2048, [=](double t) { return size * std::cos(2 * pi * (f * t - p / 3.0)); }, 1e-3 * v));
    }
    for (int p = 0; p < 3; ++p) {
      const double size = i * (1 + 0.3 * (unit(random) - 0.5)), own = lag + 0.1 * (unit(random) - 0.5);
      rows.push_back(row(std::string("i") + "abc"[p], 2048, [=](double t) { return size * std::cos(2 * pi * (f * t - p / 3.0) - std::clamp(own, -1.27, 1.27)); }, 1e-3 * i));
    }
    return rows;
  };
  for (int k = 0; k < 400; ++k) raised += look(sound(0.3)).explanations.empty() ? 0 : 1;
  CHECK(raised == 0);
  // Currents that are all one phase off and lag by far look like such as lead: nobody can tell those.
  using power::Cause;
  const auto judge = [&](std::vector<Row> rows, Cause cause, const std::vector<std::size_t>& from, std::size_t scaled, double by, const std::string& what) {
    const auto check = look(rows);
    bool found = false;
    if (!check.explanations.empty()) {
      const auto& e = check.explanations.front();
      found = e.cause == cause && e.from == from && (scaled > 5 || std::abs(e.factor[scaled] - by) < 1e-9);
    }
    (found ? right : wrong)++;
    if (!found) missed += what + "; ";
  };
  const std::vector<std::size_t> plain = {0, 1, 2, 3, 4, 5};
  for (int round = 0; round < 4; ++round) {
    for (std::size_t k = 0; k < 6; ++k) {
      auto rows = sound(0.75);
      for (auto& x : rows[k].values) x = -x;
      judge(rows, Cause::reversed, plain, k, -1, "reversed " + std::to_string(k));
      for (const double by : {10.0, 0.1}) {
        rows = sound(0.75);
        for (auto& x : rows[k].values) x *= by;
        judge(rows, Cause::tenfold, plain, k, 1 / by, "tenfold " + std::to_string(k));
      }
    }
    for (const std::size_t base : {std::size_t(0), std::size_t(3)})
      for (const auto& [p, q] : {std::pair{0, 1}, {1, 2}, {0, 2}}) {
        auto rows = sound(0.75);
        std::swap(rows[base + std::size_t(p)].values, rows[base + std::size_t(q)].values);
        auto from = plain;
        std::swap(from[base + std::size_t(p)], from[base + std::size_t(q)]);
        judge(rows, Cause::exchanged, from, 9, 1, "exchanged " + std::to_string(base) + std::to_string(p) + std::to_string(q));
      }
    for (const std::size_t by : {std::size_t(1), std::size_t(2)}) {
      const auto whole = sound(0.75);
      auto rows = whole;
      for (std::size_t p = 0; p < 3; ++p) rows[3 + (p + by) % 3].values = whole[3 + p].values;
      auto from = plain;
      for (std::size_t p = 0; p < 3; ++p) from[3 + p] = 3 + (p + by) % 3;
      judge(rows, Cause::turned, from, 9, 1, "turned " + std::to_string(by));
    }
    for (std::size_t p = 0; p < 3; ++p)
      for (std::size_t q = 0; q < 3; ++q) {
        auto rows = sound(0.75);
        std::swap(rows[p].values, rows[3 + q].values);
        auto from = plain;
        std::swap(from[p], from[3 + q]);
        judge(rows, Cause::volts_for_amperes, from, 9, 1, "volts for amperes " + std::to_string(p) + std::to_string(q));
      }
  }
  INFO(missed);
  CHECK(double(right) / double(right + wrong) >= 0.95);
}

TEST_CASE("an explanation of the wiring puts it right by settings alone", "[power][wiring]") {
  auto rows = three(4096, 325, 10, 0.5);
  for (auto& x : rows[4].values) x = -x;
  const auto r = read(rows);
  CHECK(doubted(r, "wiring.sign"));
  CHECK(doubted(r, "wiring.suspected"));
  const auto put_right = read(rows, {{"wire.ib", "-ib"}});
  CHECK_FALSE(doubted(put_right, "wiring.sign"));
  CHECK_FALSE(doubted(put_right, "wiring.suspected"));
  CHECK(value(put_right, "power.active") == Approx(3 * 325 * 10 / 2.0 * std::cos(0.5)).epsilon(1e-4));
  CHECK_FALSE(doubted(read(rows, {{"regenerating", "on"}}), "wiring.sign"));
  rows = three(4096, 325, 10, 0.5);
  std::swap(rows[3].values, rows[5].values);
  CHECK(doubted(read(rows), "wiring.sequence"));
  CHECK(doubted(read(three(4096, 325, 10, 0.5), {{"sequence", "acb"}}), "wiring.sequence"));
}

TEST_CASE("watches see a dip that outlasts the glitch and not one that does not", "[power][watch]") {
  const auto rail = row("v", 10000, [](double t) { return (t > 0.1 && t < 0.1031) || (t > 0.3 && t < 0.3009) ? 4.2 : 5.0; }, 0, 1, 10e3);
  const auto r = read({rail}, {{"method", "recording"}, {"watch.rail", "under 4.6 V for 2 ms"}}, {"watch.other.count"}, 10e3);
  CHECK(value(r, "watch.rail.count") == 1);
  CHECK(value(r, "watch.rail.longest") == Approx(3.1e-3).margin(2e-4));
  CHECK(value(r, "watch.rail.extreme") == Approx(4.2));
  CHECK_THAT(why_not(r, "watch.other.count"), Catch::Matchers::Contains("no watch"));
}

}  // namespace power_figures
