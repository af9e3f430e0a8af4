#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/power/check.h"
#include "study/power/figures.h"
#include "study/power/kind.h"
#include "study/power/reduced.h"
#include "support.h"

using namespace heron;
namespace power = heron::study::power;

/// What is read off currents over time, which quantity is which phase's, and what several records come to.
namespace power_records {
namespace {

using Catch::Matchers::Contains;
using power::Inrush;
using power::Settings;
using std::numbers::pi;
using std::numbers::sqrt2;

std::vector<double> sampled(std::size_t n, double step, const std::function<double(double)>& of, double noise = 0, unsigned seed = 1) {
  std::mt19937_64 random(seed);
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k) out[k] = of(double(k) * step) + (noise > 0 ? noise * normal_deviate(random) : 0);
  return out;
}

struct Row {
  std::string name, unit;
  std::vector<double> values;
};
study::Point point_of(const std::vector<Row>& rows, double rate, int index = 0) {
  study::Point point{.index = index, .setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = rate};
  for (const auto& row : rows) record.channels.push_back({.role = row.name, .unit = row.unit, .numbers = row.values});
  point.records.push_back(std::move(record));
  return point;
}

study::WaveformsPtr waves(const std::vector<Row>& rows, double rate = 1e3) {
  auto out = power::waveforms_of(point_of(rows, rate), {});
  if (!out) FAIL(out.error().message);
  return *out;
}

study::Analysis analysed(const std::vector<study::Point>& points, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  auto out = power::kind().analyse(points, settings, asked);
  if (!out) FAIL(out.error().message);
  return std::move(*out);
}

const study::Figure& figure(const study::Reading& r, const std::string& key) {
  const auto* f = r.find(key);
  if (!f)
    for (const auto& a : r.absent)
      if (a.key == key) FAIL(key << ": " << a.reason);
  if (!f) FAIL(key);
  return *f;
}
double value(const study::Reading& r, const std::string& key) { return figure(r, key).value; }
std::string why_not(const study::Reading& r, const std::string& key) {
  for (const auto& a : r.absent)
    if (a.key == key) return a.reason;
  return {};
}

study::Reading inrush(const Inrush& in, const Settings& settings = {}, const study::TraceErrors& errors = {}) {
  study::Reading out;
  power::add_inrush(in, settings, errors, "", "", out);
  return out;
}

study::Reading profile(const power::LoadProfile& p, const Settings& settings = {}, const study::TraceErrors& errors = {}, std::optional<double> watts = {}) {
  study::Reading out;
  power::add_profile(p, settings, errors, watts, out);
  return out;
}

std::string refused(const std::vector<Row>& rows, const study::SettingsText& settings = {}) {
  const auto out = power::kind().analyse({point_of(rows, 1e3)}, settings, {});
  return out ? std::string() : test::spaced(out.error().message);
}

std::vector<double> cosine(double lag, double peak = 1, std::size_t n = 2000, double f = 50, double rate = 10e3) {
  return sampled(n, 1 / rate, [=](double t) { return peak * std::cos(2 * pi * f * t - lag); });
}

}  // namespace

TEST_CASE("integrals of a current that goes straight between its samples are exact", "[power][inrush]") {
  // 2 t amperes over 10 s: the square is 4 t2, its integral 4/3 t3.
  const Inrush ramp(sampled(11, 1, [](double t) { return 2 * t; }), 5, 1, 2, 4);
  CHECK(ramp.i2t() == Approx(4 / 3.0 * 1000));
  CHECK(ramp.start() == 5);
  CHECK(ramp.step() == 1);
  CHECK(ramp.half() == 2);
  // About a sample over two seconds: mean of 4 t2 from t - 1 to t + 1 is 4 t2 + 4/3.
  CHECK(*ramp.rms_about(5) == Approx(std::sqrt(100 + 4 / 3.0)));
  CHECK(*ramp.rms_about(1) == Approx(std::sqrt(4 + 4 / 3.0)));
  REQUIRE(ramp.rms_about(9));
  CHECK(*ramp.rms_about(9) == Approx(std::sqrt(4 * 81 + 4 / 3.0)));
  CHECK_FALSE(ramp.rms_about(0));
  CHECK_FALSE(ramp.rms_about(10));
  // The last four seconds: 4/3 (1000 - 216) over 4.
  CHECK(ramp.steady() == Approx(std::sqrt(4 / 3.0 * (1000 - 216) / 4)));
  CHECK(*ramp.worst_over(3) == Approx(std::sqrt(4 / 3.0 * (1000 - 343) / 3)));
  CHECK(*ramp.worst_over(10) == Approx(std::sqrt(4 / 3.0 * 100)));
  CHECK(*ramp.worst_over(2.5) == Approx(std::sqrt(4 / 3.0 * (1000 - std::pow(7.5, 3)) / 2.5)));
  CHECK_FALSE(ramp.worst_over(10.1));
  CHECK_FALSE(ramp.worst_over(0));
  CHECK_FALSE(ramp.worst_over(-1));
  // A window between samples, of a current that turns at one.
  const Inrush tent(sampled(9, 0.5, [](double t) { return t < 2 ? t : 4 - t; }), 0, 0.5, 0.5, 1);
  CHECK(*tent.rms_about(4) == Approx(std::sqrt((8 - std::pow(1.75, 3)) / 3 * 2 / 0.5)));
  // A steady end longer than the record is all of it.
  CHECK(Inrush(sampled(11, 1, [](double t) { return 2 * t; }), 0, 1, 2, 40).steady() == Approx(std::sqrt(4 / 3.0 * 100)));
}

TEST_CASE("a current begins beyond a twentieth of its peak and is idle before it leaves what is there", "[power][inrush]") {
  // At rest on 0.01 A for 40 samples, then 0.1 A a sample up to 2 A.
  const auto of = [](double t) { return t < 40 ? 0.01 : std::min(2.0, 0.01 + 0.1 * (t - 39)); };
  const Inrush in(sampled(100, 1, of), 0, 1, 2, 10);
  // 0.1 A is a twentieth of 2 A: 0.11 is beyond it.
  CHECK(in.begins() == 40);
  CHECK(in.idle() == 40);
  const auto slow = [](double t) { return t < 40 ? 0.01 : std::min(2.0, 0.01 + 0.02 * (t - 39)); };
  const Inrush gentle(sampled(200, 1, slow), 0, 1, 2, 10);
  CHECK(gentle.begins() == 44);
  CHECK(gentle.idle() == 40);
  // A twentieth exactly does not begin it; the sign does not matter.
  const Inrush exact(sampled(64, 1, [](double t) { return t < 20 ? 0.0 : t < 30 ? -0.1 : -2.0; }), 0, 1, 2, 10);
  CHECK(exact.begins() == 30);
  CHECK(exact.idle() == 20);
  // Nothing at all begins nowhere.
  CHECK(Inrush(std::vector<double>(16, 0.0), 0, 1, 2, 4).begins() == 15);
}

TEST_CASE("a current has settled from where its sliding rms stays within the band on", "[power][inrush]") {
  // 4 A for a hundred seconds, then 2 A; a window of 10 s. The mean square falls evenly from 16 to 4 A2.
  const Inrush in(sampled(301, 1, [](double t) { return t < 20 ? 0.0 : t < 120 ? 4.0 : 2.0; }), 0, 1, 10, 50);
  CHECK(in.steady() == Approx(2));
  const auto settled = in.settled(0.1);
  REQUIRE(settled);
  // Within 2.2 A once less than a thirteenth of the window or so is at 4 A: (4.84 - 4)/12 of 10 s before its end.
  const double at = 119.5 + 5 - (4.84 - 4) / 12 * 10;
  CHECK(double(*settled) == Approx(at).margin(1));
  CHECK(*in.settled(10) == 20);
  CHECK_FALSE(Inrush(sampled(300, 1, [](double t) { return t; }), 0, 1, 10, 1).settled(1e-4));
  // As a figure, counted from where it begins.
  Settings settings{.settle_band = 0.1};
  const auto r = inrush(in, settings);
  CHECK(value(r, "inrush.settled_after") == Approx(double(*settled) - 20));
  CHECK(figure(r, "inrush.settled_after").at == std::vector<double>{20, double(*settled)});
  CHECK(figure(r, "inrush.settled_after").u.value_or(0) >= 1);
  // What only touches its band at the record's end has not settled.
  const auto late = inrush(Inrush(sampled(300, 1, [](double t) { return t < 20 ? 0.0 : t < 292 ? 4.0 : 2.0; }), 0, 1, 10, 5), settings);
  CHECK_THAT(why_not(late, "inrush.settled_after"), Contains("does not settle within the record"));
}

TEST_CASE("what an inrush comes to, with gain, zero and noise of its channel", "[power][inrush]") {
  const double on = 0.1;
  const auto of = [&](double t) { return t < on ? 0.02 : 3.0; };
  const study::TraceErrors errors{.u_gain = 0.01, .u_offset = 0.004};
  const auto clean = Inrush(sampled(1001, 1e-3, of), 0, 1e-3, 10e-3, 50e-3);
  const auto r = inrush(clean, {}, errors);
  const auto crest = inrush(Inrush(sampled(1001, 1e-3, [](double t) { return 3 - (t - 0.5) * (t - 0.5); }), 0, 1e-3, 10e-3, 50e-3), {}, errors);
  CHECK(value(crest, "inrush.peak.positive") == Approx(3));
  CHECK(*figure(crest, "inrush.peak.positive").u == Approx(std::hypot(0.03, 0.004)).epsilon(1e-2));
  CHECK(figure(crest, "inrush.peak.positive").at.front() == Approx(0.5).margin(1e-3));
  CHECK(value(r, "inrush.peak.negative") == Approx(0.02));
  CHECK(*figure(r, "inrush.peak.negative").u == Approx(std::hypot(0.0002, 0.004)).epsilon(1e-2));
  // 0.9 s and half a step at 3 A, nearly nothing before.
  const double i2t = value(r, "inrush.i2t"), charge = 901 * 3e-3 + 100 * 0.02e-3;
  CHECK(i2t == Approx(0.9003 * 9).epsilon(1e-3));
  CHECK(*figure(r, "inrush.i2t").u == Approx(std::hypot(2 * 0.01 * i2t, 2 * charge * 0.004)).epsilon(1e-3));
  CHECK(value(r, "steady.rms") == Approx(3));
  CHECK(*figure(r, "steady.rms").u == Approx(std::hypot(0.03, 0.004)));
  CHECK(value(r, "inrush.rms.max") == Approx(3));
  CHECK(*figure(r, "inrush.rms.max").u == Approx(std::hypot(0.03, 0.004)));
  CHECK(value(r, "idle.rms") == Approx(0.02));
  CHECK(*figure(r, "idle.rms").u == Approx(std::hypot(0.0002, 0.004)));
  // Noise adds its square over the time to i2t, which is taken off, and spreads the rest.
  const double noise = 0.02;
  const auto noisy = inrush(Inrush(sampled(20001, 1e-4, [&](double t) { return t < on ? 0.0 : 3.0; }, noise), 0, 1e-4, 10e-3, 50e-3));
  CHECK(value(noisy, "inrush.i2t") == Approx(1.9 * 9).epsilon(5e-3));
  // Noise alone, read through straight lines, has two thirds of its square.
  const auto alone = inrush(Inrush(sampled(100'001, 1e-4, [](double t) { return t < 5 ? 0.0 : 1e-6; }, 1.0), 0, 1e-4, 10e-3, 50e-3));
  CHECK(std::abs(value(alone, "inrush.i2t")) < 0.4);
  CHECK(*figure(noisy, "inrush.i2t").u == Approx(2 * noise * std::sqrt(1.9 * 9 * 1e-4)).epsilon(0.05));
  CHECK(*figure(noisy, "steady.rms").u == Approx(noise / std::sqrt(500)).epsilon(0.05));
  CHECK(*figure(noisy, "inrush.rms.max").u == Approx(noise / std::sqrt(100)).epsilon(0.05));
  CHECK(value(noisy, "idle.rms") == Approx(noise).epsilon(0.1));
  // A record that begins with the current on knows nothing of before; one shorter than the window has no sliding rms.
  const auto running = inrush(Inrush(std::vector<double>(64, 2.0), 0, 1e-3, 10e-3, 20e-3));
  CHECK_THAT(why_not(running, "idle.rms"), Contains("begins with the current on"));
  const auto short_one = inrush(Inrush(std::vector<double>(8, 2.0), 0, 1e-3, 10e-3, 20e-3));
  CHECK_THAT(why_not(short_one, "inrush.rms.max"), Contains("shorter than the window"));
  const auto with_end = [&] {
    study::Reading out;
    power::add_inrush(clean, {}, {}, ".b", " b", out);
    return out;
  }();
  CHECK(figure(with_end, "steady.rms.b").label == "Steady current, rms b");
  const Settings fuse{.fuse = {{0.1, 20}, {5, 4}}};
  const auto load = power::fuse_load(clean, fuse);
  REQUIRE(load.size() == 2);
  CHECK(load[0].time == 0.1);
  CHECK(load[0].bears == 20);
  CHECK(*load[0].carries == Approx(3));
  CHECK_FALSE(load[1].carries);
}

TEST_CASE("windows of an inrush are what their definition says, wherever they lie in a long record", "[power][inrush]") {
  const double step = 1e-3, half = 7.3e-3;
  constexpr std::size_t kSamples = 5000;
  // The integral of the square of straight lines between samples: Simpson's rule is exact.
  struct Squares {
    const std::vector<double>& v;
    double at(double place) const {
      const auto k = std::min(std::size_t(place), v.size() - 2);
      return v[k] + (v[k + 1] - v[k]) * (place - double(k));
    }
    double over(double from, double to) const {
      double sum = 0;
      for (double a = from; a < to;) {
        const double b = std::min(std::floor(a) + 1, to), x = at(a), y = at(b), m = at((a + b) / 2);
        sum += (b - a) / 6 * (x * x + 4 * m * m + y * y);
        a = b;
      }
      return sum;
    }
  };
  const double reach = half / step / 2;
  // Highest in the fourth thousand, in the last window, in the first; swells that end within a thousand and where one does.
  for (const auto& [top, last_swell] : {std::pair{3500.0, 4200.0}, {4996.0, 2051.0}, {4.0, 1028.0}, {2000.0, 3075.5}}) {
    CAPTURE(top, last_swell);
    std::vector<double> v(kSamples);
    for (std::size_t k = 0; k < kSamples; ++k) {
      const double d = (double(k) - top) / 40, e = (double(k) - last_swell) / 9;
      v[k] = (k % 2 ? 2.02 : 2.0) + 3 * std::exp(-d * d) + 0.9 * std::exp(-e * e);
    }
    const Inrush in(v, 0, step, half, 0.05);
    const Squares of{v};
    const auto first = std::size_t(std::ceil(reach)), end = kSamples - std::size_t(std::ceil(reach));
    const auto rms = [&](std::size_t k) { return std::sqrt(of.over(double(k) - reach, double(k) + reach) / (half / step)); };
    std::size_t highest = first, settled = end;
    for (auto k = first; k < end; ++k)
      if (rms(k) > rms(highest)) highest = k;
    for (const auto k : {first, first + 1, std::size_t(1027), std::size_t(1028), std::size_t(1029), highest, end - 1}) {
      REQUIRE(in.rms_about(k));
      CHECK(*in.rms_about(k) == Approx(rms(k)).epsilon(1e-9));
    }
    CHECK_FALSE(in.rms_about(first - 1));
    CHECK_FALSE(in.rms_about(end));
    CHECK(in.highest_rms() == std::optional(highest));
    const double steady = std::sqrt(of.over(kSamples - 1 - 50, kSamples - 1) / 50);
    CHECK(in.steady() == Approx(steady).epsilon(1e-9));
    while (settled > first && std::abs(rms(settled - 1) / steady - 1) <= 0.1) --settled;
    if (settled == end)
      CHECK_FALSE(in.settled(0.1));
    else
      CHECK(in.settled(0.1) == std::optional(settled));
    // Beyond its own size a steady value has no lower side; up to there it has.
    auto within = end;
    while (within > std::max(first, in.begins()) && std::abs(rms(within - 1) / steady - 1) <= 0.7) --within;
    CHECK(in.settled(0.7) == std::optional(within));
    double worst = of.over(kSamples - 1 - 13.7, kSamples - 1);
    for (std::size_t k = 0; double(k) + 13.7 <= kSamples - 1; ++k) worst = std::max(worst, of.over(double(k), double(k) + 13.7));
    CHECK(*in.worst_over(13.7e-3) == Approx(std::sqrt(worst / 13.7)).epsilon(1e-9));
  }
  // What falls from its first sample on is worst in the first window.
  const auto falling = sampled(300, 1e-3, [](double t) { return 5 * std::exp(-t / 0.02); });
  CHECK(*Inrush(falling, 0, 1e-3, 5e-3, 0.05).worst_over(10e-3) == Approx(std::sqrt(Squares{falling}.over(0, 10) / 10)));
  // A window of hardly more than a step is the mean of hardly more than a sample; where it has settled is known as far as noise
  // moves the band.
  const Inrush coarse(sampled(400, 10e-3, [](double t) { return t < 0.5 ? 0.0 : 2 + 3 * std::exp(-(t - 0.5) / 0.4); }, 0.02, 5), 0, 10e-3, 12e-3, 0.6);
  const auto r = inrush(coarse, Settings{.settle_band = 0.1});
  CHECK(*figure(r, "inrush.rms.max").u == Approx(coarse.noise() / std::sqrt(1.2)));
  const double swing = std::hypot(coarse.noise() / std::sqrt(1.2), coarse.noise() / std::sqrt(60)) / coarse.steady();
  double spread = 10e-3;
  for (const double times : {1.0, 2.0, 3.0, -1.0, -2.0, -3.0})
    if (const auto other = 0.1 + times * swing > 0 ? coarse.settled(0.1 + times * swing) : std::nullopt)
      spread = std::max(spread, std::abs(double(*other) - double(*coarse.settled(0.1))) * 10e-3 / std::abs(times));
  CHECK(*figure(r, "inrush.settled_after").u == Approx(spread));
  CHECK(spread > 20e-3);
}

TEST_CASE("a peak between samples is read from what lies on either side of it", "[power][inrush]") {
  for (const double sign : {1.0, -1.0}) {
    const auto r = inrush(Inrush(sampled(1001, 1e-3, [=](double t) { return sign * (3 - 40 * (t - 0.5003) * (t - 0.5003)); }), 0, 1e-3, 10e-3, 50e-3));
    const auto& peak = figure(r, sign > 0 ? "inrush.peak.positive" : "inrush.peak.negative");
    CHECK(peak.value == Approx(sign * 3).epsilon(1e-7));
    CHECK(peak.at.front() == Approx(0.5003).margin(2e-5));
  }
  // At a record's end there is one side alone.
  const auto rising = inrush(Inrush(sampled(101, 1e-3, [](double t) { return 1 + t; }), 0, 1e-3, 10e-3, 50e-3));
  CHECK(value(rising, "inrush.peak.positive") == Approx(1.1).epsilon(1e-3));
  CHECK(value(rising, "inrush.peak.negative") == Approx(1).epsilon(1e-3));
}

TEST_CASE("what hardly fills a record is read as far as it goes", "[power]") {
  // Eight samples of a direct current that rises: its last twentieth.
  std::vector<double> ramp(101);
  for (std::size_t k = 0; k < ramp.size(); ++k) ramp[k] = double(k);
  const auto r = analysed({point_of({{"i", "A", ramp}}, 1e3)}, {{"method", "switch_on"}}, {"steady.rms"}).reading;
  CHECK(value(r, "steady.rms") == Approx(std::sqrt((1e6 - std::pow(95.0, 3)) / 3 / 5)));
  CHECK(analysed({point_of({{"i", "A", std::vector<double>(8, 2.0)}}, 1e3)}, {{"method", "switch_on"}}, {"steady.rms"}).reading.find("steady.rms"));
  CHECK_FALSE(analysed({point_of({{"i", "A", std::vector<double>(7, 2.0)}}, 1e3)}, {{"method", "switch_on"}}, {"steady.rms"}).reading.find("steady.rms"));
  // A part of a record is what its times say, and what is left is told.
  auto halves = cosine(0, 10);
  for (std::size_t k = 1000; k < halves.size(); ++k) halves[k] *= 3;
  const Row v{"v", "V", cosine(0, 325)};
  const auto part = [&](const study::SettingsText& settings) { return value(analysed({point_of({v, {"i", "A", halves}}, 10e3)}, settings, {}).reading, "current.rms"); };
  CHECK(part({{"to", "0.0999 s"}}) == Approx(10 / sqrt2).epsilon(1e-3));
  CHECK(part({{"from", "0.1 s"}}) == Approx(30 / sqrt2).epsilon(1e-3));
  CHECK(part({{"from", "0.12 s"}, {"to", "0.16 s"}}) == Approx(30 / sqrt2).epsilon(1e-3));
  CHECK_THAT(refused({v}, {{"from", "5 s"}}), Contains("which goes from 0 s to 1.999 s"));
  CHECK(power::settings_from_text({{"to", "-1 s"}}));
  CHECK(power::settings_from_text({{"from", "1 s"}}));
  CHECK_FALSE(power::settings_from_text({{"from", "1 s"}, {"to", "1 s"}}));
  const auto by = power::settings_from_text({{"cycles_by", "i_b"}});
  REQUIRE(by);
  CHECK(power::as_text(*by).at("cycles_by") == "i_b");
  CHECK_FALSE(power::as_text(*power::settings_from_text({})).contains("cycles_by"));
}

TEST_CASE("the steady end of what alternates is its last two cycles", "[power][inrush]") {
  // 50 Hz at 10 kHz: 3 A over the last two cycles and a half, 5 A before.
  const auto i = sampled(2001, 1e-4, [](double t) { return (t < 0.15 ? 5.0 : 3.0) * std::cos(2 * pi * 50 * t); });
  const auto r = analysed({point_of({{"v", "V", sampled(2001, 1e-4, [](double t) { return 325 * std::cos(2 * pi * 50 * t); })}, {"i", "A", i}}, 10e3)}, {{"method", "switch_on"}}).reading;
  CHECK(value(r, "steady.rms") == Approx(3 / sqrt2).epsilon(1e-3));
  CHECK(power::figure_unit("harmonic.current.1") == std::optional<std::string>("A"));
  // A watch looks from the first sample on.
  const auto watched = analysed({point_of({{"v", "V", sampled(2000, 1e-4, [](double t) { return t < 5e-5 ? -400 : 325 * std::cos(2 * pi * 50 * t); })}}, 10e3)}, {{"watch.low", "v under -390 V"}}, {"watch.low.count"}).reading;
  CHECK(value(watched, "watch.low.count") == 1);
}

TEST_CASE("a frequency is known by its noise, and a crest between samples is found", "[power]") {
  // Twenty samples a cycle, of which none lies on the crest: the highest is cos(9 deg).
  for (const double sign : {1.0, -1.0}) {
    auto rows = std::vector<Row>{{"v", "V", sampled(2000, 1e-3, [](double t) { return 325 * std::cos(2 * pi * 50 * t); })},
                                 {"i", "A", sampled(2000, 1e-3, [=](double t) { return sign * (2 * std::cos(2 * pi * 50 * t - 4.2 - pi / 20) + 0.4 * std::cos(4 * pi * 50 * t - 8.4 - pi / 10)); })}};
    const auto r = analysed({point_of(rows, 1e3)}).reading;
    CHECK(value(r, "current.crest") == Approx(2.4 / std::sqrt((4 + 0.16) / 2)).epsilon(3e-3));
  }
  const auto noisy = analysed({point_of({{"v", "V", sampled(2000, 1e-4, [](double t) { return 10 * std::cos(2 * pi * 50 * t); }, 0.05, 3)}}, 10e3)}).reading;
  const auto& f = figure(noisy, "frequency");
  REQUIRE(f.u);
  CHECK(*f.u < 0.01);
  CHECK(std::abs(f.value - 50) < 4 * *f.u);
  // With the voltage besides a profile has its energy: the mean of their product.
  const auto energy = analysed({point_of({{"v", "V", sampled(1000, 1e-3, [](double t) { return t < 0.5 ? 3.0 : 2.0; })}, {"i", "A", sampled(1000, 1e-3, [](double t) { return t < 0.5 ? 0.01 : 0.5; })}}, 1e3)}, {{"method", "profile"}}).reading;
  CHECK(value(energy, "profile.energy") == Approx(0.5 * 0.03 + 0.5 * 1.0));
  // Nothing that flows takes no energy, known as such.
  const auto none = profile(power::profile_of(std::vector<double>(1000, 0.0), 1e-3, {}), {}, {.u_offset = 1e-3}, 0.0);
  CHECK(value(none, "profile.energy") == 0);
  CHECK_FALSE(figure(none, "profile.energy").u);
  const auto names = power::figure_names();
  for (const int order : {3, 5, 7})
    for (const char* of : {"current", "voltage"}) CHECK(std::count_if(names.begin(), names.end(), [&](const auto& n) { return n.key == fmt::format("harmonic.{}.{}", of, order); }) == 1);
}

TEST_CASE("a level that is only passed through, or spread within root two, is told for what it is", "[power][profile]") {
  // Ten bursts of a tenth of a second: a tenth of the time, but never a fiftieth of it in one go.
  const auto bursts = power::profile_of(sampled(10000, 1e-3, [](double t) { return std::fmod(t, 1) >= 0.4 && std::fmod(t, 1) < 0.5 ? 100e-3 : 1e-3; }), 1e-3, {.state_time = 0.02});
  CHECK(bursts.states.size() == 1);
  // Half of it a quarter above, half a quarter below: neither alone would be a state of six tenths of the time.
  const auto spread = power::profile_of(sampled(10000, 1e-3, [](double t) { return std::fmod(t, 0.02) < 0.01 ? 1.3e-3 : 0.8e-3; }), 1e-3, {.state_time = 1e-4});
  CHECK(spread.states.size() == 1);
  const auto most = power::profile_of(sampled(8, 1, [](double t) { return int(t) % 2 ? 1.3e-3 : 0.8e-3; }), 1, {.state_time = 0.6});
  CHECK(most.states.size() == 1);
  // A bin of the shares is told by its middle: a level in the middle of one by itself.
  const double level = 0.1 * std::pow(10, -(60 + 0.5) / 40);
  const auto middle = power::profile_of(sampled(1000, 1e-3, [=](double t) { return t < 0.9 ? level : 0.1; }), 1e-3, {});
  REQUIRE(middle.shares.size() == 2);
  CHECK(middle.shares.front().first == Approx(std::log10(level)).margin(1e-6));
  // One sample is a wake where no glitch is allowed for; a peak at the record's begin is one.
  const auto brief = power::profile_of(sampled(1000, 1e-3, [](double t) { return (t > 0.2 && t < 0.4) || std::abs(t - 0.7) < 2e-4 ? 20e-3 : t < 5e-4 ? 30e-3 : 1e-3; }), 1e-3, {});
  CHECK(brief.wakes.size() == 2);
  CHECK(brief.peak == Approx(30e-3));
  const auto noisy = power::profile_of(sampled(10000, 1e-3, [](double) { return 10e-3; }, 1e-4, 8), 1e-3, {});
  CHECK(*figure(profile(noisy), "profile.charge").u == Approx(noisy.noise / 100 * 10));
  CHECK(*figure(profile(noisy, {}, {}, 0.03), "profile.energy").u == Approx(0.03 * 10 * noisy.noise / 100 / noisy.mean));
}

TEST_CASE("states of a profile are where the current stays, a factor of two apart and for long enough", "[power][profile]") {
  const auto of = [](const std::function<double(double)>& i, const Settings& settings = {}) { return power::profile_of(sampled(10000, 1e-3, i), 1e-3, settings); };
  const auto two = of([](double t) { return t < 6 ? 1e-3 : 5e-3; });
  REQUIRE(two.states.size() == 2);
  CHECK(two.states[0].level == Approx(1e-3));
  CHECK(two.states[0].share == Approx(0.6));
  CHECK(two.states[1].level == Approx(5e-3));
  CHECK(two.states[1].share == Approx(0.4));
  CHECK(two.parts_at == Approx(std::sqrt(5e-6)));
  CHECK(two.active_mean == Approx(5e-3));
  CHECK(two.active_share == Approx(0.4));
  CHECK(two.seconds == Approx(10));
  CHECK(two.step == 1e-3);
  CHECK(two.mean == Approx(2.6e-3));
  CHECK(two.peak == Approx(5e-3));
  // The one wake never ended.
  CHECK(two.wakes.empty());
  // Less than a factor of two is one state, more is two.
  CHECK(of([](double t) { return t < 5 ? 1e-3 : 1.8e-3; }).states.size() == 1);
  CHECK(of([](double t) { return t < 5 ? 1e-3 : 2.3e-3; }).states.size() == 2);
  // A burst that is shorter than the state time is passed through, a longer one is a state.
  const auto burst = [&](double lasts) { return of([=](double t) { return t > 4 && t < 4 + lasts ? 50e-3 : 1e-3; }, {.state_time = 0.01}).states.size(); };
  CHECK(burst(0.06) == 1);
  CHECK(burst(0.15) == 2);
  // Three states keep their order from the lowest up, whatever their shares.
  const auto three = of([](double t) { return t < 1 ? 1e-5 : t < 2 ? 1e-1 : 1e-3; });
  REQUIRE(three.states.size() == 3);
  CHECK(three.states[0].level == Approx(1e-5));
  CHECK(three.states[1].level == Approx(1e-3));
  CHECK(three.states[2].level == Approx(1e-1));
  CHECK(three.states[1].share == Approx(0.8));
  double all = 0;
  for (const auto& [lg, share] : three.shares) all += share;
  CHECK(all == Approx(1));
  for (const auto& [lg, share] : three.shares) CHECK((std::abs(lg + 5) < 0.03 || std::abs(lg + 3) < 0.03 || std::abs(lg + 1) < 0.03));
  // Within what is smoothed together the share is told by how much of each a piece holds: 3/8 of a state time of 40 samples.
  const auto between = power::profile_of(sampled(40'000, 1e-3, [](double t) { return t > 10.0005 && t < 20.0125 ? 5e-3 : 1e-3; }), 1e-3, {.state_time = 0.008});
  CHECK(between.together == 40);
  REQUIRE(between.states.size() == 2);
  CHECK(between.states[1].share == Approx(10.012 / 40).margin(1e-3 / 40));
  // A current that stays nowhere for so long has none.
  const auto nowhere = of([](double t) { return 1e-6 * std::pow(10, 0.6 * t); }, {.state_time = 0.4});
  CHECK(nowhere.states.empty());
  CHECK(nowhere.mean > 0);
  // Nothing at all has no state; what is fed back is told at its size.
  const auto none = of([](double) { return 0.0; });
  CHECK(none.states.empty());
  CHECK(none.mean == 0);
  CHECK(of([](double) { return -1e-3; }).states.at(0).level == Approx(-1e-3));
}

TEST_CASE("wakes begin and end within the record, and their glitches do not count", "[power][profile]") {
  // 1 mA asleep, 20 mA awake: from 1 to 1.5 s, with a gap of 3 ms in it, and from 6 to 6.004 s.
  const auto wave = [](double t) {
    t += 1e-7;
    if (t >= 1.2 && t < 1.203) return 1e-3;
    return (t >= 1 && t < 1.5) || (t >= 6 && t < 6.004) || t >= 9.5 || t < 0.3 ? 20e-3 : 1e-3;
  };
  const auto of = [&](double glitch) { return power::profile_of(sampled(10000, 1e-3, wave), 1e-3, {.glitch = glitch}); };
  const auto all = of(0);
  REQUIRE(all.wakes.size() == 3);
  CHECK(all.wakes[0].first == 1000);
  CHECK(all.wakes[0].last == 1200);
  CHECK(all.wakes[1].first == 1203);
  CHECK(all.wakes[1].last == 1500);
  CHECK(all.wakes[2].last - all.wakes[2].first == 4);
  CHECK(all.wakes[0].charge == Approx(0.2 * 19e-3));
  // It jumps up and down by 19 mA.
  CHECK(all.wakes[2].jumps == Approx(2 * 19e-3 * 19e-3));
  const auto some = of(3.5e-3);
  REQUIRE(some.wakes.size() == 2);
  CHECK(some.wakes[0].last == 1500);
  CHECK(some.wakes[0].charge == Approx(0.497 * 19e-3));
  CHECK(of(4.5e-3).wakes.size() == 1);
  // As figures: a mean over the wakes, a count that is known.
  const auto r = profile(some);
  CHECK(value(r, "profile.wake.count") == 2);
  CHECK_FALSE(figure(r, "profile.wake.count").u);
  CHECK(value(r, "profile.wake.charge") == Approx((0.497 + 0.004) / 2 * 19e-3));
  const double ends = 1e-3 * std::sqrt((some.wakes[0].jumps + some.wakes[1].jumps) / 12) / 2;
  CHECK(*figure(r, "profile.wake.charge").u == Approx(ends));
  CHECK(*figure(profile(some, {}, {.u_gain = 0.02}), "profile.wake.charge").u == Approx(std::hypot(ends, 0.02 * value(r, "profile.wake.charge"))));
}

TEST_CASE("figures of a profile follow from its states, with what their channel is off by", "[power][profile]") {
  const auto p = power::profile_of(sampled(10000, 1e-3, [](double t) { return t >= 4 && t < 6 ? 50e-3 : 10e-6; }), 1e-3, {});
  Settings settings{.battery = 3600.0, .states = {"asleep"}};
  const study::TraceErrors errors{.u_gain = 0.01, .u_offset = 1e-6};
  const auto r = profile(p, settings, errors, 0.05);
  const double mean = 0.2 * 50e-3 + 0.8 * 10e-6, u = std::hypot(0.01 * mean, 1e-6);
  CHECK(value(r, "profile.mean") == Approx(mean));
  CHECK(*figure(r, "profile.mean").u == Approx(u));
  CHECK(value(r, "profile.charge") == Approx(mean * 10));
  CHECK(*figure(r, "profile.charge").u == Approx(u * 10));
  CHECK(value(r, "profile.energy") == Approx(0.5));
  CHECK(*figure(r, "profile.energy").u == Approx(0.5 * u / mean));
  CHECK(value(r, "profile.life") == Approx(3600 / mean));
  CHECK(*figure(r, "profile.life").u == Approx(3600 / mean * u / mean));
  CHECK(value(r, "profile.sleep") == Approx(10e-6));
  CHECK(*figure(r, "profile.sleep").u == Approx(std::hypot(0.01 * 10e-6, 1e-6)));
  CHECK(*figure(r, "profile.peak").u >= std::hypot(0.01 * 50e-3, 1e-6));
  CHECK(*figure(r, "profile.active").u == Approx(std::hypot(0.01 * 50e-3, 1e-6)));
  // A burst within what is awake: where it begins and ends between samples moves the mean over what is active.
  const auto inner = power::profile_of(sampled(10000, 1e-3, [](double t) { return t < 4 || t >= 6 ? 10e-6 : t >= 4.5 && t < 5 ? 50e-3 : 10e-3; }), 1e-3, {});
  const double over = 0.5 / 2 * 50e-3 + 1.5 / 2 * 10e-3;
  CHECK(inner.active_mean == Approx(over));
  CHECK(inner.active_ends == Approx(std::sqrt((2 * 40e-3 * 40e-3 + 2 * std::pow(10e-3 - over, 2)) / 12) / 2000));
  CHECK(*figure(r, "profile.active.share").u == Approx(1e-4 * std::sqrt(2 / 12.0)));
  CHECK(*figure(r, "profile.state.2.share").u == Approx(1e-4 * std::sqrt(2 / 12.0)));
  CHECK(*figure(r, "profile.state.1.share").u == Approx(1e-4 * std::sqrt(4 / 12.0)));
  CHECK(figure(r, "profile.state.1.level").label == "asleep, current");
  CHECK(figure(r, "profile.state.2.level").label == "State 2, current");
  CHECK_THAT(why_not(profile(p), "profile.energy"), Contains("wants the voltage"));
  CHECK_THAT(why_not(profile(p), "profile.life"), Contains("battery is not set"));
  // Fed back in the mean it draws nothing; asleep at zero or below nothing can be told of its sleep.
  const auto fed = power::profile_of(sampled(1000, 1e-3, [](double t) { return t < 0.5 ? -2e-3 : -20e-3; }), 1e-3, {});
  const auto back = profile(fed, settings);
  CHECK_THAT(why_not(back, "profile.life"), Contains("draws nothing from it"));
  CHECK_THAT(why_not(back, "profile.sleep"), Contains("at or below zero"));
  const auto none = profile(power::profile_of(std::vector<double>(1000, 0.0), 1e-3, {}), settings);
  CHECK_THAT(why_not(none, "profile.sleep"), Contains("stays nowhere"));
  for (const char* key : {"profile.active", "profile.active.share", "profile.wake.count", "profile.wake.charge"}) CHECK_THAT(why_not(none, key), Contains("not two states"));
  // Two states of which the higher never ends: active, but no whole wake.
  const auto open = profile(power::profile_of(sampled(1000, 1e-3, [](double t) { return t < 0.5 ? 1e-3 : 20e-3; }), 1e-3, {}), settings);
  CHECK(value(open, "profile.wake.count") == 0);
  CHECK_THAT(why_not(open, "profile.wake.charge"), Contains("there is no wake"));
  // Noise is in a level by what it is the mean of, and in the peak whole.
  const auto noisy = power::profile_of(sampled(10000, 1e-3, [](double t) { return t >= 4 && t < 6 ? 50e-3 : 10e-3; }, 1e-4), 1e-3, {});
  CHECK(noisy.noise == Approx(1e-4).epsilon(0.05));
  const auto n = profile(noisy);
  CHECK(*figure(n, "profile.mean").u == Approx(noisy.noise / 100));
  CHECK(*figure(n, "profile.peak").u < noisy.noise);
  CHECK(std::abs(value(n, "profile.peak") - 50e-3) < 3 * *figure(n, "profile.peak").u);
  // One sample that stands out is the highest there is.
  auto glitch = sampled(10000, 1e-3, [](double t) { return t >= 4 && t < 6 ? 50e-3 : 10e-3; }, 1e-5);
  glitch[5000] = 80e-3;
  CHECK(value(profile(power::profile_of(glitch, 1e-3, {})), "profile.peak") == Approx(80e-3));
  CHECK(*figure(n, "profile.active").u == Approx(noisy.noise / std::sqrt(2000)).epsilon(1e-2));
  CHECK(*figure(n, "profile.sleep").u == Approx(noisy.noise / std::sqrt(noisy.states[0].samples)));
  CHECK(noisy.states[0].samples == Approx(8000).epsilon(0.01));
}

TEST_CASE("which quantity is which phase's is read from their names, their units, or as it is said", "[power][wiring]") {
  const auto c = [](const char* name, const char* unit) { return Row{name, unit, cosine(0)}; };
  const auto of = [](const std::vector<Row>& rows, const study::SettingsText& text = {}) {
    const auto settings = power::settings_from_text(text);
    REQUIRE(settings);
    return power::wiring_of(*waves(rows), *settings);
  };
  const auto star = of({c("V_A", "V"), c("v.b", "V"), c("v c", "V"), c("I_a", "A"), c("ib", "A"), c("i_c", "A")});
  REQUIRE(star);
  CHECK(star->form == power::Form::star);
  CHECK(star->phases() == 3);
  for (std::size_t k = 0; k < 3; ++k) {
    CHECK(star->voltages[k].trace == k);
    CHECK(star->currents[k].trace == 3 + k);
    CHECK(star->voltages[k].factor == 1);
  }
  CHECK(star->voltages[1].role == "vb");
  const auto lines = of({c("v_bc", "V"), c("v_ca", "V"), c("v_ab", "V")});
  REQUIRE(lines);
  CHECK(lines->form == power::Form::lines);
  CHECK(lines->voltages[0].trace == 2);
  CHECK(lines->currents.empty());
  const auto single = of({c("rail", "V"), c("draw", "A")});
  REQUIRE(single);
  CHECK(single->form == power::Form::single);
  CHECK(single->phases() == 1);
  CHECK(single->voltages[0].role == "v");
  CHECK(single->voltages[0].factor == 1);
  CHECK(single->currents[0].factor == 1);
  CHECK(of({c("rail", "V"), c("draw", "A")}, {{"cycles_by", "rail"}})->cycles_by == 0);
  CHECK(of({c("rail", "V"), c("draw", "A")}, {{"cycles_by", "draw"}})->cycles_by == 1);
  const auto said = of({c("x", "V"), c("y", "V"), c("z", "A")}, {{"wire.v", "-10*y"}});
  REQUIRE(said);
  CHECK(said->voltages[0].trace == 1);
  CHECK(said->voltages[0].factor == -10);
  CHECK(said->currents[0].trace == 2);
  // Several of a unit are none.
  const auto several = of({c("x", "V"), c("y", "V"), c("z", "A")});
  REQUIRE(several);
  CHECK(several->voltages.empty());
  CHECK(several->currents.size() == 1);
  CHECK(several->phases() == 1);
  for (const char* role : {"v", "i", "va", "vbc", "ic"}) CHECK(power::is_role(role));
  for (const char* role : {"", "x", "vd", "a", "iab"}) CHECK_FALSE(power::is_role(role));
  CHECK_THAT(power::all_roles(), Contains("v, i, va, vb, vc, vab") && Contains("ib and ic"));
  CHECK_THAT(refused({c("x", "V"), c("y", "V")}), Contains("say which is which, such as wire.v=NAME"));
  CHECK_THAT(refused({c("va", "V"), c("vc", "V")}), Contains("vb is missing beside va"));
  CHECK_THAT(refused({c("va", "V")}, {{"wire.va", "va"}}), Contains("vb and vc are missing beside va"));
  CHECK_THAT(refused({c("x", "V")}, {{"wire.i", "w"}}), Contains("wire.i: there is no quantity \"w\""));
}

TEST_CASE("settings carry an explanation of the wiring out", "[power][wiring]") {
  const auto record = waves({{"va", "V", cosine(0)}, {"vb", "V", cosine(2)}, {"vc", "V", cosine(4)}, {"ia", "A", cosine(0)}, {"ib", "A", cosine(2)}, {"ic", "A", cosine(4)}});
  const auto wiring = power::wiring_of(*record, {});
  REQUIRE(wiring);
  power::Explanation by{.from = {0, 1, 2, 4, 3, 5}, .factor = {1, -1, 1, 1, 1, 10}};
  const auto wires = power::wires_of(*record, *wiring, by);
  const std::vector<std::pair<std::string, std::string>> wanted = {{"wire.vb", "-vb"}, {"wire.ia", "ib"}, {"wire.ib", "ia"}, {"wire.ic", "10*ic"}};
  CHECK(wires == wanted);
  // A factor that is there already goes on with it.
  const auto set = power::settings_from_text({{"wire.vb", "-vb"}});
  const auto turned = power::wiring_of(*record, *set);
  REQUIRE(turned);
  CHECK(power::wires_of(*record, *turned, by).front() == std::pair<std::string, std::string>{"wire.vb", "vb"});
}

TEST_CASE("what is known of one phase beforehand tells a factor of ten", "[power][wiring]") {
  const auto look = [](double v, double i, double lag, const study::SettingsText& text) {
    const auto record = waves({{"v", "V", cosine(0, v * sqrt2)}, {"i", "A", cosine(lag, i * sqrt2)}}, 10e3);
    const auto settings = power::settings_from_text(text);
    REQUIRE(settings);
    const auto wiring = power::wiring_of(*record, *settings);
    const auto measured = power::measure(*record, *wiring, *settings);
    REQUIRE(measured);
    REQUIRE(*measured);
    return power::check_wiring(*record, *wiring, **measured, *settings);
  };
  const study::SettingsText known = {{"nominal_voltage", "230 V"}, {"nominal_current", "4 A"}};
  CHECK(look(230, 4, 0.5, known).explanations.empty());
  CHECK(look(240, 3, 0.5, known).explanations.empty());
  const auto small = look(23, 4, 0.5, known);
  REQUIRE_FALSE(small.explanations.empty());
  CHECK(small.explanations.front().cause == power::Cause::tenfold);
  CHECK(small.explanations.front().factor == std::vector<double>{10, 1});
  CHECK(small.explanations.front().said == "v is ten times too small");
  const auto large = look(2300, 4, 0.5, known);
  REQUIRE_FALSE(large.explanations.empty());
  CHECK(large.explanations.front().said == "v is ten times too large");
  CHECK(look(23, 4, 0.5, {}).explanations.empty());
  const auto exchanged = look(4, 230, 0.5, known);
  REQUIRE_FALSE(exchanged.explanations.empty());
  CHECK(exchanged.explanations.front().cause == power::Cause::volts_for_amperes);
  const auto turned = look(230, 4, pi - 0.5, {});
  REQUIRE_FALSE(turned.explanations.empty());
  CHECK(turned.explanations.front().said == "i or v is the other way round");
  CHECK(turned.explanations.front().factor == std::vector<double>{1, -1});
  CHECK(look(230, 4, pi - 0.5, {{"regenerating", "on"}}).explanations.empty());
  // What each channel looks like.
  const auto seen = look(230, 4, 0.5, {}).channels;
  REQUIRE(seen.size() == 2);
  CHECK(seen[0].quantity == "v");
  CHECK(seen[0].voltage);
  CHECK(seen[0].rms == Approx(230).epsilon(1e-3));
  CHECK(seen[1].unit == "A");
  CHECK(seen[1].rms == Approx(4).epsilon(1e-3));
  CHECK(seen[1].frequency == Approx(50).epsilon(1e-4));
  CHECK(seen[1].angle == Approx(-0.5 * 180 / pi).margin(0.05));
}

TEST_CASE("several records come to the mean of each figure, known by what they differ in", "[power]") {
  std::vector<study::Point> points;
  const double peaks[] = {10, 10.2, 9.8, 10.1};
  for (int k = 0; k < 4; ++k) points.push_back(point_of({{"v", "V", cosine(0, 325)}, {"i", "A", cosine(0.4, peaks[k])}}, 10e3, k));
  const auto r = analysed(points).reading;
  const double mean = (10 + 10.2 + 9.8 + 10.1) / 4;
  double squares = 0;
  for (const double p : peaks) squares += (p - mean) * (p - mean);
  CHECK(value(r, "current.rms") == Approx(mean / sqrt2).epsilon(1e-5));
  CHECK(*figure(r, "current.rms").u == Approx(std::sqrt(squares / 3 / 4) / sqrt2).epsilon(1e-3));
  auto reducer = power::reducer({});
  for (const auto& p : points) REQUIRE((*reducer)->add(p));
  const auto reduced = *(*reducer)->so_far();
  const auto& all = dynamic_cast<const power::ReducedPower&>(*reduced);
  CHECK(all.quick());
  CHECK(all.tables().empty());
  const auto over = all.over_records({}, {"power.active"});
  REQUIRE(over);
  const auto it = std::find_if(over->begin(), over->end(), [](const auto& one) { return one.key == "power.active"; });
  REQUIRE(it != over->end());
  REQUIRE(it->values.size() == 4);
  CHECK(it->values[1] == Approx(325 * 10.2 / 2 * std::cos(0.4)).epsilon(1e-4));
  CHECK(it->passes == std::vector<int>{0, 1, 2, 3});
  // One record alone keeps its own uncertainty.
  CHECK(analysed({points[0]}).reading.find("current.rms")->u.value_or(0) < 1e-3);
  auto none = power::reducer({});
  REQUIRE_FALSE((*none)->so_far());
  CHECK_FALSE(power::reducer({{"class", "E"}}));
}

TEST_CASE("a power study's curve is what it was read for", "[power]") {
  const auto point = point_of({{"v", "V", cosine(0, 325)}, {"i", "A", sampled(2000, 1e-4, [](double t) { return t < 0.05 ? 0.0 : 4 * std::cos(2 * pi * 50 * t) + std::cos(2 * pi * 150 * t); })}}, 10e3);
  const auto harmonics = analysed({point_of({{"v", "V", cosine(0, 325)}, {"i", "A", cosine(0.4, 4)}}, 10e3)});
  CHECK(harmonics.curve->x_name == "order");
  CHECK(harmonics.curve->x.size() == 40);
  REQUIRE(harmonics.curve->columns.size() == 2);
  CHECK(harmonics.curve->columns[0].name == "harmonic.voltage");
  CHECK(harmonics.curve->columns[0].y[0] == Approx(325 / sqrt2).epsilon(1e-4));
  CHECK(harmonics.curve->columns[1].unit == "A");
  const auto on = analysed({point}, {{"method", "switch_on"}});
  CHECK(on.curve->x_name == "time");
  REQUIRE(on.curve->columns.size() == 1);
  CHECK(on.curve->columns[0].name == "current.half_cycle");
  CHECK(on.curve->columns[0].y.back() == Approx(std::sqrt(17 / 2.0)).epsilon(1e-2));
  CHECK(on.curve->x.front() == Approx(0.005).margin(2e-4));
  const auto slept = analysed({point_of({{"i", "A", sampled(20000, 1e-3, [](double t) { return t < 10 ? 1e-3 : 20e-3; })}}, 1e3)}, {{"method", "profile"}});
  CHECK(slept.curve->columns[0].name == "current");
  CHECK(slept.curve->columns[0].y.front() == Approx(1e-3));
  CHECK(slept.curve->columns[0].y.back() == Approx(20e-3));
  CHECK(slept.curve->x.back() < 20);
  CHECK(std::is_sorted(slept.curve->x.begin(), slept.curve->x.end()));
}

TEST_CASE("figures that a power record cannot have say why", "[power]") {
  const Row v{"v", "V", cosine(0, 325)}, i{"i", "A", cosine(0.4, 4)};
  const auto why = [](const std::vector<Row>& rows, const study::SettingsText& settings, const char* key) { return why_not(analysed({point_of(rows, 10e3)}, settings, {key}).reading, key); };
  CHECK_THAT(why({v, i}, {}, "angle.ab"), Contains("there is one phase"));
  CHECK_THAT(why({v}, {}, "power.active"), Contains("there is no current"));
  CHECK_THAT(why({i}, {}, "power.active"), Contains("there is no voltage"));
  CHECK_THAT(why({v, i}, {}, "profile.mean"), Contains("method = profile"));
  CHECK_THAT(why({v, i}, {}, "harmonic.margin"), Contains("class is not set"));
  CHECK_THAT(why({v, i}, {}, "watch.rail.count"), Contains("no watch \"rail\""));
  CHECK_THAT(why({i}, {{"method", "profile"}}, "power.active"), Contains("reads by cycles"));
  CHECK_THAT(why({i}, {{"method", "profile"}}, "profile.state.9.level"), Contains("not so many states"));
  const std::vector<Row> three = {{"va", "V", cosine(0)}, {"vb", "V", cosine(2 * pi / 3)}, {"vc", "V", cosine(4 * pi / 3)}, {"ia", "A", cosine(0)}, {"ib", "A", cosine(2 * pi / 3)}, {"ic", "A", cosine(4 * pi / 3)}};
  CHECK_THAT(why(three, {}, "voltage.rms"), Contains("by phase: voltage.rms.a"));
  CHECK_THAT(refused(three, {{"method", "profile"}}), Contains("A profile is of one current; there are three"));
  CHECK_THAT(refused({v}, {{"method", "profile"}}), Contains("there is none"));
  CHECK_THAT(refused({v, i}, {{"from", "1.9 s"}, {"to", "1.9005 s"}}), Contains("from and to leave nothing"));
  // Units of figures by their keys.
  const auto unit = [](const char* key) { return power::figure_unit(key).value_or("none"); };
  for (const auto& [key, is] : {std::pair{"power.active", "W"}, {"power.active.b", "W"}, {"harmonic.current.7.c", "A"}, {"harmonic.voltage.40", "V"}, {"profile.state.20.level", "A"}, {"profile.state.1.share", "1"},
                                {"watch.x.count", "1"}, {"watch.x.latched", "1"}, {"watch.x.first", "s"}, {"watch.x.extreme", ""}, {"harmonic.current.41", "none"}, {"harmonic.current.2.5", "none"}, {"profile.state.21.level", "none"},
                                {"profile.state.0.share", "none"}, {"profile.mean.a", "none"}, {"harmonic.voltage.0", "none"}})
    CHECK(unit(key) == is);
  const auto names = power::figure_names();
  CHECK(std::any_of(names.begin(), names.end(), [](const auto& n) { return n.key == "power.active.c" && n.label == "Active power c"; }));
  CHECK(std::any_of(names.begin(), names.end(), [](const auto& n) { return n.key == "harmonic.current.5" && n.unit == "A"; }));
  CHECK(std::none_of(names.begin(), names.end(), [](const auto& n) { return n.key == "profile.mean.a"; }));
}

TEST_CASE("what hardly alternates has no cycles", "[power]") {
  // A tenth of an effective value of what stands still: the share of the fundamental's power is a hundredth.
  const auto of = [](double share) {
    const double peak = share * sqrt2;
    return analysed({point_of({{"v", "V", sampled(2000, 1e-4, [=](double t) { return 10 + 10 * peak * std::cos(2 * pi * 50 * t); })}, {"i", "A", cosine(0)}}, 10e3)}, {}, {"power.active"}).reading;
  };
  CHECK_THAT(why_not(of(0.099), "power.active"), Contains("less than a tenth"));
  CHECK(of(0.102).find("power.active"));
}

}  // namespace power_records
