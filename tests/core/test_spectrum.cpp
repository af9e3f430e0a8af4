#include <catch2/catch.hpp>
#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "base/random.h"
#include "exchange/curves.h"
#include "exchange/setting_file.h"
#include "exchange/touchstone.h"
#include "judge/claim_words.h"
#include "signal/record_lines.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/kind.h"
#include "study/spectrum/plan.h"
#include "study/spectrum/reduced.h"
#include "study/spectrum/words.h"
#include "support.h"

using namespace heron;

namespace spectra {
namespace {

using std::numbers::pi;

constexpr double kRate = 100e3;

study::Point point_of(const std::vector<double>& v, double rate = kRate) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = rate};
  study::Channel channel{.role = "v", .unit = "V"};
  channel.numbers = v;
  record.channels.push_back(std::move(channel));
  point.records.push_back(std::move(record));
  return point;
}

std::vector<double> sampled(std::size_t n, const std::function<double(double)>& of, double noise = 0, unsigned seed = 1, double rate = kRate) {
  std::mt19937_64 random(seed);
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k) out[k] = of(double(k) / rate) + (noise > 0 ? noise * normal_deviate(random) : 0);
  return out;
}

study::Reading read(const std::vector<double>& v, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}, double rate = kRate) {
  const auto analysis = study::spectrum::kind().analyse({point_of(v, rate)}, settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

double value(const study::Reading& r, const char* key) {
  const auto* f = r.find(key);
  if (!f) FAIL(key);
  return f->value;
}

std::string why_not(const study::Reading& r, const char* key) {
  for (const auto& a : r.absent)
    if (a.key == key) return a.reason;
  return "";
}

bool doubted(const study::Reading& r, const char* key) {
  return std::any_of(r.doubts.begin(), r.doubts.end(), [&](const auto& d) { return d.key == key; });
}

double db(double ratio) { return 20 * std::log10(ratio); }

}  // namespace

TEST_CASE("a tone's level and frequency are its own under every window, wherever it lies", "[spectrum]") {
  std::mt19937_64 random(4);
  for (const char* window : {"hann", "blackman_harris", "flat_top"})
    for (int k = 0; k < 40; ++k) {
      const double cycles = 20 + 1900 * double(random() >> 11) * 0x1p-53, f = cycles * kRate / 4096, phase = 6.28 * double(random() >> 11) * 0x1p-53;
      // 80 dB of signal to noise.
      const auto v = sampled(4096, [=](double t) { return 0.7 * std::cos(2 * pi * f * t + phase); }, 0.7 / std::sqrt(2.0) * 1e-4, unsigned(k));
      const auto r = read(v, {{"window", window}});
      INFO(window << " " << cycles);
      CHECK(value(r, "fundamental.level") == Approx(db(0.7 / std::sqrt(2.0))).margin(0.01));
      CHECK(value(r, "fundamental.frequency") * 4096 / kRate == Approx(cycles).margin(1e-4));
    }
}

TEST_CASE("taking a tone off leaves nothing of it on any line", "[spectrum]") {
  const std::size_t n = 2048;
  for (const auto window : {signal::Window::rectangular, signal::Window::hann, signal::Window::blackman_harris, signal::Window::flat_top})
    for (const double place : {333.0, 333.37, 4.5, 1019.2}) {
      std::vector<double> v(n);
      for (std::size_t t = 0; t < n; ++t) v[t] = 0.9 * std::cos(2 * pi * place * double(t) / double(n) + 0.4);
      const signal::RecordLines lines(v);
      const auto facts = signal::facts_of(window);
      const std::vector tones = {signal::ToneLines({.place = place, .peak = 0.9, .phase = 0.4}, facts, n)};
      CHECK(tones[0].first() == 0);
      CHECK(tones[0].last() == n / 2);
      INFO(signal::window_text(window) << " at " << place);
      double most = 0;
      for (std::size_t k = 0; k <= n / 2; ++k) most = std::max(most, lines.power_at(k, facts, tones));
      // 210 dB below: what is left is rounding.
      CHECK(most / 0.405 < 1e-21);
      // As far as it is worth it: beyond lies less than that in every line, and a twentieth of the reach it is more somewhere.
      for (const double least : {1e-9, 1e-14}) {
        const std::vector near = {signal::ToneLines({.place = place, .peak = 0.9, .phase = 0.4}, facts, n, least)};
        double outside = 0;
        for (std::size_t k = 0; k <= n / 2; ++k) {
          if (k >= near[0].first() && k <= near[0].last()) continue;
          CHECK(near[0].at(std::ptrdiff_t(k)) == 0.0);
          outside = std::max(outside, lines.power_at(k, facts, near));
        }
        CHECK(outside < least);
      }
    }
}

TEST_CASE("a rounded sine has the signal to noise of its bits", "[spectrum]") {
  for (const int bits : {8, 10, 12}) {
    const double lsb = 2.0 / std::pow(2, bits), f = 1237 * kRate / 16384;
    const auto v = sampled(16384, [=](double t) { return lsb * std::round(0.9999 * std::sin(2 * pi * f * t) / lsb); });
    const auto r = read(v, {{"full_scale", "1 V"}});
    // Of every bit 6.02 dB, and 1.76 of a sine against rounding (IEEE 1241).
    CHECK(value(r, "sinad") == Approx(6.0206 * bits + 1.7609).margin(0.35));
    CHECK(value(r, "enob") == Approx(bits).margin(0.06));
  }
}

TEST_CASE("jitter limits a converter by its frequency", "[spectrum]") {
  const double sigma = 30e-9, f = 3331 * kRate / 16384;
  std::mt19937_64 random(8);
  std::vector<double> v(16384);
  for (std::size_t k = 0; k < v.size(); ++k) v[k] = std::sin(2 * pi * f * (double(k) / kRate + sigma * normal_deviate(random)));
  CHECK(value(read(v), "snr") == Approx(-db(2 * pi * f * sigma)).margin(0.2));
}

TEST_CASE("harmonics are found where they fold to, up to the tenth zone", "[spectrum]") {
  const std::size_t n = 16384;
  // Above the first two harmonics every one folds, some of them more than once.
  const double cycles = 7253, f = cycles * kRate / n;
  const auto v = sampled(n, [=](double t) {
    double sum = std::cos(2 * pi * f * t);
    for (int h = 2; h <= 10; ++h) sum += 1e-3 / h * std::cos(2 * pi * h * f * t + h);
    return sum;
  }, 1e-6);
  const auto r = read(v);
  for (int h = 2; h <= 10; ++h) {
    const double m = std::fmod(h * f, kRate), folded = m > kRate / 2 ? kRate - m : m;
    CHECK(value(r, fmt::format("harmonic.{}.frequency", h).c_str()) == Approx(folded).margin(0.01));
    CHECK(value(r, fmt::format("harmonic.{}.level", h).c_str()) == Approx(db(1e-3 / h)).margin(0.1));
  }
}

TEST_CASE("a cube's third harmonic is where its closed form has it", "[spectrum]") {
  const double a = 0.6, b = 0.01, f = 1021 * kRate / 16384;
  const auto v = sampled(16384, [=](double t) {
    const double x = a * std::cos(2 * pi * f * t);
    return x + b * x * x * x;
  }, 1e-6);
  const auto r = read(v);
  CHECK(value(r, "harmonic.3.level") == Approx(db(b * a * a * a / 4 / (a + 0.75 * b * a * a * a))).margin(0.01));
  CHECK(value(r, "thd") == Approx(db(b * a * a * a / 4 / (a + 0.75 * b * a * a * a))).margin(0.02));
}

TEST_CASE("records without a tone to be read say why", "[spectrum]") {
  CHECK_THAT(why_not(read(std::vector<double>(1024, 1.5)), "snr"), Catch::Matchers::Contains("does not move"));
  CHECK_THAT(why_not(read(sampled(1024, [](double t) { return std::cos(2 * pi * 120 * t); })), "snr"), Catch::Matchers::Contains("fewer than two cycles"));
  CHECK_THAT(why_not(read(sampled(1024, [](double t) { return std::cos(2 * pi * 310 * t); })), "snr"), Catch::Matchers::Contains("5 are the fewest"));
  std::vector<double> nyquist(1024);
  for (std::size_t k = 0; k < nyquist.size(); ++k) nyquist[k] = k % 2 ? 1 : -1;
  CHECK_THAT(why_not(read(nyquist), "snr"), Catch::Matchers::Contains("half the sample rate"));
  CHECK_FALSE(study::spectrum::kind().analyse({point_of(std::vector<double>(8, 1.0))}, {}, {}));
  // Noise alone has a highest line too, which is no tone; its floor is told all the same.
  int taken_for_tones = 0;
  for (unsigned seed = 1; seed <= 60; ++seed) {
    const auto idle = read(sampled(4096, [](double) { return 0.2; }, 1e-3, seed));
    taken_for_tones += idle.find("snr") != nullptr;
    CHECK(value(idle, "noise_floor") == Approx(10 * std::log10(1e-6 / 50e3)).margin(0.6));
  }
  CHECK(taken_for_tones <= 1);
  // A tone 9 dB above what noise makes of its highest line is one.
  CHECK(read(sampled(4096, [](double t) { return 4e-4 * std::cos(2 * pi * 9.7e3 * t); }, 1e-3)).find("snr"));
  for (const double huge : {1e150, 1e300}) {
    const auto r = read(sampled(256, [=](double t) { return huge * std::cos(2 * pi * 9e3 * t); }));
    for (const auto& f : r.figures) CHECK(std::isfinite(f.value));
  }
}

TEST_CASE("what speaks against a spectrum is told just over its bound and not just under it", "[spectrum][doubts]") {
  const auto tone = [](double cycles) { return sampled(4096, [=](double t) { return std::cos(2 * pi * cycles * kRate / 4096 * t); }, 1e-4); };
  const study::SettingsText rectangular = {{"window", "rectangular"}};
  CHECK(doubted(read(tone(301.02), rectangular), "frequency.not_coherent"));
  CHECK_FALSE(doubted(read(tone(301.005), rectangular), "frequency.not_coherent"));
  CHECK_FALSE(doubted(read(tone(301.3)), "frequency.not_coherent"));
  // Clipped: of a table more than 5 % of the samples in runs on the extremes.
  const auto clipped = [](double at) { return sampled(4096, [=](double t) { return std::clamp(std::cos(2 * pi * 301 * kRate / 4096 / 40 * t), -at, at); }); };
  // A cosine that is cut at cos x on both sides stays there for 2 x/pi of the time.
  CHECK(doubted(read(clipped(std::cos(0.028 * pi))), "input.clipped"));
  CHECK_FALSE(doubted(read(clipped(std::cos(0.022 * pi))), "input.clipped"));
  // Of a converter whose ends are known: three equal samples there, and a tenth of the range.
  const auto counted = [](int at_end, double peak) {
    auto point = point_of({});
    auto& channel = point.records[0].channels[0];
    channel.numbers.clear();
    channel.scale = 1.0 / 8192;
    channel.range = 1;
    channel.lowest_count = -8192;
    channel.highest_count = 8191;
    for (int k = 0; k < 4096; ++k) channel.counts.push_back(std::int16_t(std::lround(8191 * peak * std::cos(2 * pi * 301.0 / 4096 * k))));
    for (int k = 0; k < at_end; ++k) channel.counts[std::size_t(1000 + k)] = 8191;
    return study::spectrum::kind().analyse({point}, {}, {})->reading;
  };
  CHECK(doubted(counted(3, 0.9), "input.clipped"));
  CHECK_FALSE(doubted(counted(2, 0.9), "input.clipped"));
  CHECK(doubted(counted(0, 0.099), "range.underused"));
  CHECK_FALSE(doubted(counted(0, 0.101), "range.underused"));
  // Two tones where one was said.
  const auto two = [](double second) {
    return sampled(4096, [=](double t) { return std::cos(2 * pi * 301 * kRate / 4096 * t) + second * std::cos(2 * pi * 517.3 * kRate / 4096 * t); }, 1e-4);
  };
  CHECK(doubted(read(two(0.102)), "tones.several"));
  CHECK_FALSE(doubted(read(two(0.098)), "tones.several"));
  // Close to half the rate.
  const auto high = [](double level) { return sampled(4096, [=](double t) { return std::cos(2 * pi * 301 * kRate / 4096 * t) + level * std::cos(2 * pi * 2000 * kRate / 4096 * t); }, 1e-3); };
  // A hundred lines of noise of 1e-3 lie there, 2 1e-6/4096 each: 4 times as much is a tone of 5.4e-4.
  CHECK(doubted(read(high(6.2e-4)), "sampling.coarse"));
  CHECK_FALSE(doubted(read(high(4.6e-4)), "sampling.coarse"));
  const auto noisy = [](double noise) { return sampled(4096, [](double t) { return std::cos(2 * pi * 301 * kRate / 4096 * t) + 3e-3 * std::cos(2 * pi * 602 * kRate / 4096 * t); }, noise); };
  // A tone of 3e-3 in noise s is known to s sqrt(2/4096) of that: a tenth of a decibel at 1.56e-3.
  CHECK(doubted(read(noisy(1.8e-3), {}, {"harmonic.2.level"}), "noise.limited"));
  CHECK_FALSE(doubted(read(noisy(1.2e-3), {}, {"harmonic.2.level"}), "noise.limited"));
}

TEST_CASE("the coherent frequency is the nearest with a whole, odd number of cycles", "[spectrum]") {
  using study::spectrum::coherent_frequency;
  CHECK(coherent_frequency(1e3, 200e3, 32768) * 32768 / 200e3 == Approx(163));
  CHECK(coherent_frequency(0.1, 200e3, 32768) * 32768 / 200e3 == Approx(1));
  for (const double f : {17.0, 999.0, 31234.5}) {
    const double cycles = coherent_frequency(f, 48e3, 4096) * 4096 / 48e3;
    CHECK(std::abs(cycles - std::round(cycles)) < 1e-9);
    CHECK(std::llround(cycles) % 2 == 1);
    CHECK(std::abs(cycles - f * 4096 / 48e3) <= 1 + 1e-9);
  }
  // Half way between two lines nearly a quarter of the power lies beyond the three lines about the tone.
  CHECK(10 * std::log10(study::spectrum::leakage(0.5, signal::Window::rectangular, 4096)) == Approx(-7.3).margin(0.5));
}

TEST_CASE("levels are typed in every form", "[spectrum][words]") {
  using study::spectrum::read_level;
  CHECK(*read_level("200 mV", 50) == Approx(0.2));
  CHECK(*read_level("20m", 50) == Approx(0.02));
  CHECK(*read_level("1 V peak", 50) == Approx(2));
  CHECK(*read_level("1 V rms", 50) == Approx(2 * std::sqrt(2.0)));
  // 0 dBm into 50 ohm is 0.2236 V rms there, twice that without a load.
  CHECK(*read_level("0 dBm", 50) == Approx(2 * 2 * std::sqrt(2.0) * std::sqrt(0.05)));
  for (const char* bad : {"", "0", "-3 V", "nan", "1e999 V", "x dBm", "3 Hz"}) CHECK_FALSE(read_level(bad, 50));
}

TEST_CASE("settings of spectra read back what they tell", "[spectrum]") {
  const study::SettingsText typed = {{"window", "flat_top"}, {"harmonics", "2..7"}, {"band", "20Hz..20kHz"}, {"full_scale", "1.25V"},
                                     {"weighting", "A"}, {"average", "coherent"}, {"segment", "4096"}, {"overlap", "0"}, {"u_limit", "0.2 dB"}};
  const auto once = study::spectrum::settings_from_text(typed);
  if (!once) FAIL(once.error().message);
  const auto text = study::spectrum::as_text(*once);
  const auto again = study::spectrum::settings_from_text(text);
  if (!again) FAIL(again.error().message);
  CHECK(study::spectrum::as_text(*again) == text);
  for (const auto& [key, bad] : {std::pair{"harmonics", "1..3"}, {"harmonics", "7..2"}, {"harmonics", "2.5"}, {"band", "20Hz"}, {"band", "5kHz..20Hz"}, {"bits", "12.5"}, {"segment", "10"}, {"segment", "1e300"}, {"window", "kaiser"}, {"weighting", "Z"}, {"nothing", "1"}})
    CHECK_FALSE(study::spectrum::settings_from_text({{key, bad}}));
  for (const char* good : {"sinad", "v_out.thd", "harmonic.3.level", "i.harmonic.12.frequency", "imd.3", "noise.rms(20Hz,20kHz)", "v.x.snr"})
    CHECK(study::spectrum::kind().check_figure(good));
  for (const char* bad : {"harmonic.1.level", "harmonic.2", "noise.rms(20Hz)", "noise.rms(2kHz,1kHz)", "snr(3)", "loud", ""})
    CHECK_FALSE(study::spectrum::kind().check_figure(bad));
}

TEST_CASE("noise in a band is what was put there, weighted as the standard has it", "[spectrum]") {
  const auto v = sampled(1 << 17, [](double t) { return std::cos(2 * pi * 10.1e3 * t); }, 2e-3, 3);
  CHECK(value(read(v, {}, {"noise.rms(1kHz,6kHz)"}), "noise.rms(1kHz,6kHz)") == Approx(2e-3 * std::sqrt(5e3 / 50e3)).epsilon(0.02));
  // IEC 61672-1, table 3, to the tenth of a decibel.
  for (const auto& [decade, gain] : {std::pair{1.5, -39.4}, {2.0, -19.1}, {3.0, 0.0}, {3.3, 1.2}, {4.0, -2.5}})
    CHECK(10 * std::log10(study::spectrum::a_weighting(std::pow(10, decade))) == Approx(gain).margin(0.06));
}

TEST_CASE("averages of power smooth the noise, coherent ones lower it", "[spectrum]") {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  for (unsigned k = 0; k < 16; ++k) {
    auto one = point_of(sampled(4096, [](double t) { return std::cos(2 * pi * 301 * kRate / 4096 * t); }, 1e-3, k + 1));
    point.records.push_back(std::move(one.records.front()));
  }
  const auto of = [&](const char* average) { return study::spectrum::kind().analyse({point}, {{"average", average}}, {})->reading; };
  const auto power = of("power"), coherent = of("coherent");
  CHECK(value(power, "snr") == Approx(-db(1e-3 * std::sqrt(2.0))).margin(0.1));
  CHECK(value(coherent, "snr") == Approx(-db(1e-3 * std::sqrt(2.0)) + 10 * std::log10(16)).margin(0.3));
  CHECK(*power.find("snr")->u < 0.35 * *of("coherent").find("snr")->u);
}

/// A sweep over level through y = g x - b x^3, each point a record.
std::vector<study::Point> swept_cube(double g, double b, const std::vector<double>& peaks, double noise = 1e-5) {
  std::vector<study::Point> out;
  for (std::size_t k = 0; k < peaks.size(); ++k) {
    const double a = peaks[k], f = 1021 * kRate / 8192;
    auto point = point_of(sampled(8192, [=](double t) {
      const double x = a * std::cos(2 * pi * f * t);
      return g * x - b * x * x * x;
    }, noise, unsigned(k + 1)));
    point.index = int(k);
    point.setting = point.setting.with("swept", {{"name", "level"}, {"unit", "V"}, {"value", a / std::sqrt(2.0)}});
    out.push_back(std::move(point));
  }
  return out;
}

TEST_CASE("a sweep over level compresses where the cube's closed form has it", "[spectrum][sweep]") {
  const double g = 5, b = 3;
  std::vector<double> peaks;
  for (int k = 0; k < 25; ++k) peaks.push_back(0.02 * std::pow(40, k / 24.0));
  auto points = swept_cube(g, b, peaks);
  // In whatever order they were taken.
  std::swap(points[2], points[17]);
  const auto analysis = study::spectrum::kind().analyse(points, {}, {"thd@100mV", "level.out@100mV", "thd_n@100mV", "thd@3V", "thd@1kHz", "thd"});
  if (!analysis) FAIL(analysis.error().message);
  const auto& r = analysis->reading;
  // The gain for a peak a is g - 0.75 b a^2.
  const double a = std::sqrt(g * (1 - std::pow(10, -0.05)) / (0.75 * b)), rms = a / std::sqrt(2.0);
  // Interpolated between points a fifteenth of a decade apart, against the mean of a decade that bends by a hundredth itself.
  CHECK(value(r, "compression.1dB.input") == Approx(rms).epsilon(0.015));
  CHECK(value(r, "compression.1dB.output") == Approx(rms * g * std::pow(10, -0.05)).epsilon(0.015));
  const double at = 0.1 * std::sqrt(2.0), gain = g - 0.75 * b * at * at;
  CHECK(value(r, "level.out@100mV") == Approx(0.1 * gain).epsilon(1e-3));
  CHECK(r.find("level.out@100mV")->unit == "V");
  CHECK(value(r, "thd@100mV") == Approx(db(b * at * at / 4 / gain)).margin(0.1));
  CHECK_THAT(why_not(r, "thd@3V"), Catch::Matchers::Contains("outside the sweep"));
  CHECK_THAT(why_not(r, "thd@1kHz"), Catch::Matchers::Contains("not in Hz"));
  CHECK_THAT(why_not(r, "thd"), Catch::Matchers::Contains("say at which"));
  REQUIRE(analysis->curve->find("thd"));
  CHECK(analysis->curve->x.size() == peaks.size());
  CHECK(std::is_sorted(analysis->curve->x.begin(), analysis->curve->x.end()));
  // Two levels tell no compression, and one spectrum is no sweep.
  CHECK_THAT(why_not(study::spectrum::kind().analyse(swept_cube(g, b, {0.1, 0.2}), {}, {})->reading, "compression.1dB.input"), Catch::Matchers::Contains("three levels"));
  CHECK_THAT(why_not(read(sampled(4096, [](double t) { return std::cos(2 * pi * 9e3 * t); }), {}, {"thd@1V"}), "thd@1V"), Catch::Matchers::Contains("no sweep"));
  for (const char* good : {"thd@20mV", "v.snr@5kHz", "level.out@1V", "compression.1dB.input", "v_out.compression.1dB.output", "harmonic.3.level@20mV rms"})
    CHECK(study::spectrum::kind().check_figure(good));
  for (const char* bad : {"thd@", "@20mV", "loud@20mV", "thd@quiet", "thd@20mV@3V"}) CHECK_FALSE(study::spectrum::kind().check_figure(bad));
}

TEST_CASE("a spectrum that is read with other settings is read anew, and with the same once more the same", "[spectrum]") {
  auto reducer = study::spectrum::reducer({});
  REQUIRE((*reducer)->add(point_of(sampled(4096, [](double t) { return std::cos(2 * pi * 9.01e3 * t) + 1e-3 * std::cos(2 * pi * 18.02e3 * t); }))));
  const auto reduced = *(*reducer)->so_far();
  const auto level = [&](const study::SettingsText& settings) { return reduced->read(settings, {})->reading.find("snr")->value; };
  const double wide = level({{"window", "rectangular"}}), narrow = level({{"window", "blackman_harris"}});
  CHECK(narrow > wide + 20);
  CHECK(level({{"window", "rectangular"}}) == wide);
  CHECK(level({{"window", "rectangular"}}) == wide);
  CHECK(level({{"window", "blackman_harris"}}) == narrow);
  study::spectrum::Settings scratch;
  for (const char* bad : {"2.5..7", "2..7.5", "1..7", "7..2", "2..201"}) CHECK_FALSE(study::spectrum::set(scratch, "harmonics", bad));
  for (const char* good : {"2..2", "2..200", "3..7"}) CHECK(study::spectrum::set(scratch, "harmonics", good));
}

TEST_CASE("small-signal gain is of the lowest decade of levels, of two at least", "[spectrum][sweep]") {
  // The second lies beyond a decade and has bent by a little already.
  const double g = 5, b = 3;
  std::vector<double> peaks = {0.01, 0.15};
  for (int k = 0; k < 12; ++k) peaks.push_back(0.3 * std::pow(1.15, k));
  const auto r = study::spectrum::kind().analyse(swept_cube(g, b, peaks), {}, {});
  REQUIRE(r);
  const auto gain = [&](double a) { return 20 * std::log10(g - 0.75 * b * a * a); };
  const double small = (gain(0.01) + gain(0.15)) / 2;
  // Where the gain lies a decibel below that.
  const double a = std::sqrt((g - std::pow(10, (small - 1) / 20)) / (0.75 * b));
  CHECK(value(r->reading, "compression.1dB.input") == Approx(a / std::sqrt(2.0)).epsilon(2e-3));
}

TEST_CASE("figures over the records of a point, and over the points of a sweep, are those of each by itself", "[spectrum][sweep]") {
  const auto reduced_of = [](const std::vector<study::Point>& points) {
    auto reducer = study::spectrum::reducer({});
    for (const auto& p : points) REQUIRE((*reducer)->add(p));
    return *(*reducer)->so_far();
  };
  auto point = point_of(sampled(4096, [](double t) { return std::cos(2 * pi * 9e3 * t) + 1e-3 * std::cos(2 * pi * 18e3 * t); }));
  const auto other = point_of(sampled(4096, [](double t) { return std::cos(2 * pi * 9e3 * t) + 2e-3 * std::cos(2 * pi * 18e3 * t); }));
  point.records.push_back(other.records.front());
  const auto one = reduced_of({point});
  const auto& records = dynamic_cast<const study::spectrum::ReducedSpectra&>(*one);
  const auto over = records.over_records({}, {"thd", "thd@1V", "noise.rms(1kHz,2kHz)"});
  if (!over) FAIL(over.error().message);
  const auto found = [&](const std::string& key) { return std::find_if(over->begin(), over->end(), [&](const auto& r) { return r.key == key; }); };
  REQUIRE(found("thd") != over->end());
  REQUIRE(found("thd")->values.size() == 2);
  CHECK(found("thd")->values[0] == Approx(-60).margin(0.05));
  CHECK(found("thd")->values[1] == Approx(-53.98).margin(0.05));
  // What is asked for by name is there as well, what is of a sweep is not.
  CHECK(found("noise.rms(1kHz,2kHz)") != over->end());
  CHECK(found("thd@1V") == over->end());
  CHECK(records.over_sweep({})->empty());
  const std::vector<double> peaks = {0.05, 0.1, 0.2, 0.4};
  const auto points = swept_cube(5, 3, peaks);
  const auto many = reduced_of(points);
  const auto curves = dynamic_cast<const study::spectrum::ReducedSpectra&>(*many).over_sweep({});
  if (!curves) FAIL(curves.error().message);
  const auto thd = std::find_if(curves->begin(), curves->end(), [](const auto& c) { return c.name == "thd"; });
  REQUIRE(thd != curves->end());
  REQUIRE(thd->at.size() == peaks.size());
  for (std::size_t k = 0; k < peaks.size(); ++k) {
    const double a = peaks[k];
    CHECK(thd->at[k] == Approx(a / std::sqrt(2.0)).epsilon(1e-3));
    CHECK(thd->value[k] == Approx(db(3 * a * a / 4 / (5 - 0.75 * 3 * a * a))).margin(0.1));
  }
}

TEST_CASE("what drives is no figure of the device, and is doubted where its harmonics are in the result", "[spectrum][doubts]") {
  const std::size_t n = 8192;
  const double f = 251 * kRate / double(n);
  // The device's second harmonic, and a third that the stimulus has itself.
  const auto both = [&](double third) {
    auto point = point_of(sampled(n, [&](double t) { return std::cos(2 * pi * f * t) + 3e-3 * std::cos(4 * pi * f * t) + third * std::cos(6 * pi * f * t); }, 1e-5));
    study::Channel stimulus{.role = "stimulus", .unit = "V"};
    stimulus.numbers = sampled(n, [&](double t) { return 0.1 * (std::cos(2 * pi * f * t) + third * std::cos(6 * pi * f * t)); }, 1e-6, 7);
    point.records[0].channels.push_back(std::move(stimulus));
    point.setting = nlohmann::json{{"stimulus", "stimulus"}};
    return point;
  };
  for (const auto& [third, distorted] : {std::pair{1.1e-3, true}, {0.85e-3, false}}) {
    const auto analysis = study::spectrum::kind().analyse({both(third)}, {}, {"stimulus.thd"});
    if (!analysis) FAIL(analysis.error().message);
    INFO(third);
    CHECK(value(analysis->reading, "thd") == Approx(20 * std::log10(std::hypot(3e-3, third))).margin(0.1));
    CHECK(value(analysis->reading, "stimulus.thd") == Approx(20 * std::log10(third)).margin(0.2));
    CHECK_FALSE(analysis->reading.find("v.thd"));
    CHECK(doubted(analysis->reading, "stimulus.distorted") == distorted);
  }
}

TEST_CASE("a table of a sweep has its figures between rows, and its compression", "[spectrum][sweep]") {
  // Gain ten times, bending as v - v^3 does: 1 dB less than at small levels where 3 A^2 / 4 is 1 - 10^(-1/20).
  std::string text = "level (mV),level.out,thd (dB),snr\n";
  for (int k = 0; k <= 20; ++k) {
    const double rms = 1e-3 * std::pow(10, k / 8.0), peak = rms * std::sqrt(2.0);
    text += fmt::format("{},{},{},{}\n", 1e3 * rms, 10 * rms * (1 - 0.75 * peak * peak), -100 + k, 40 + 2 * k);
  }
  const test::Folder folder;
  const auto path = folder.write("sweep.csv", text);
  auto curves = exchange::read_curves(path, study::spectrum::kind(), {});
  if (!curves) FAIL(curves.error().message);
  study::Point point{.index = 0, .setting = nlohmann::json::object(), .records = {curves->front().record}};
  const auto read_it = [&](const std::vector<std::string>& asked) { return study::spectrum::kind().analyse({point}, {}, asked); };
  const auto analysis = read_it({"thd@10mV", "snr@31.6227766mV", "level.out@10mV", "thd@5V", "thd"});
  if (!analysis) FAIL(analysis.error().message);
  const auto& r = analysis->reading;
  CHECK(value(r, "thd@10mV") == Approx(-92));
  CHECK(value(r, "snr@31.6227766mV") == Approx(64));
  CHECK(value(r, "level.out@10mV") == Approx(0.1 * (1 - 0.75 * 2e-4)));
  const double expected = std::sqrt(4 * (1 - std::pow(10, -1 / 20.0)) / 3) / std::sqrt(2.0);
  CHECK(value(r, "compression.1dB.input") == Approx(expected).epsilon(0.01));
  CHECK(value(r, "compression.1dB.output") == Approx(10 * expected * std::pow(10, -1 / 20.0)).epsilon(0.01));
  CHECK_FALSE(doubted(r, "points.sparse"));
  CHECK(why_not(r, "thd@5V").find("outside") != std::string::npos);
  CHECK(why_not(r, "thd").find("say at which") != std::string::npos);
  // A straight line says little between points that are far apart, and all at a point itself.
  for (const auto& [last, place, sparse] : {std::tuple{-89.1, "30mV", false}, {-89.3, "30mV", false}, {-90.5, "30mV", false}, {-89.4, "10mV", false}, {-79.5, "30mV", true}, {-80.5, "30mV", false}}) {
    auto rows = exchange::read_curves(folder.write("two.csv", fmt::format("level,thd\n0.01,-90\n0.1,{}\n", last)), study::spectrum::kind(), {});
    REQUIRE(rows);
    point.records = {rows->front().record};
    const auto one = read_it({std::string("thd@") + place});
    REQUIRE(one);
    INFO(last << " at " << place);
    CHECK(doubted(one->reading, "points.sparse") == sparse);
  }
  // What it takes in memory grows with its rows.
  const auto bytes_of = [&](const std::string& rows) {
    auto table = exchange::read_curves(folder.write("size.csv", "level,thd\n" + rows), study::spectrum::kind(), {});
    REQUIRE(table);
    const auto reduced = study::spectrum::kind().reduce({{.setting = nlohmann::json::object(), .records = {table->front().record}}}, {});
    REQUIRE(reduced);
    return (*reduced)->bytes();
  };
  CHECK(bytes_of("0.1,-90\n0.2,-80\n0.3,-70\n") > bytes_of("0.1,-90\n0.2,-80\n"));
  // Levels alone are no sweep of anything.
  auto alone = exchange::read_curves(folder.write("alone.csv", "level,thd\n0.01,-90\n0.1,-80\n"), study::spectrum::kind(), {});
  REQUIRE(alone);
  point.records = {alone->front().record};
  std::erase_if(point.records.front().channels, [](const auto& c) { return c.role == "thd"; });
  CHECK_FALSE(read_it({}));
  // A level that is none, and one that comes twice.
  for (const char* bad : {"level,thd\n0,-90\n1,-80\n", "level,thd\n1,-90\n1,-80\n"}) {
    auto rows = exchange::read_curves(folder.write("bad.csv", bad), study::spectrum::kind(), {});
    REQUIRE(rows);
    point.records = {rows->front().record};
    const auto refused = read_it({});
    REQUIRE_FALSE(refused);
    CHECK(refused.error().fault == Fault::input);
  }
}

TEST_CASE("what an ideal converter and its jitter would leave is told by name", "[spectrum]") {
  const std::size_t n = 4096;
  auto point = point_of(sampled(n, [&](double t) { return std::round(2000 * std::cos(2 * pi * 101 * kRate / double(n) * t)) / 2048; }));
  point.setting = nlohmann::json{{"codes", {{"v", {{"bits", 12}, {"full_scale", 1.0}}}}}};
  auto reducer = study::spectrum::reducer({});
  REQUIRE(reducer);
  REQUIRE((*reducer)->add(point));
  const auto reduced = (*reducer)->so_far();
  REQUIRE(reduced);
  study::spectrum::Settings settings;
  settings.aperture_jitter = 1e-9;
  const auto all = dynamic_cast<const study::spectrum::ReducedSpectra&>(**reduced).spectra(settings);
  REQUIRE(all);
  const auto expected = study::spectrum::expected_noise(*all->front(), 0, settings);
  REQUIRE(expected.size() == 2);
  CHECK(expected[0].name == "ideal 12 bit");
  // 6.02 N + 1.76 below a full-scale sine.
  CHECK(10 * std::log10(0.5 / expected[0].power) == Approx(6.0206 * 12 + 1.7609).margin(1e-3));
  // -20 lg(2 pi f sigma) below the sine itself.
  const double f = 101 * kRate / double(n);
  CHECK(10 * std::log10(all->front()->spectra[0].fundamental->power / expected[1].power) == Approx(-20 * std::log10(2 * pi * f * 1e-9)).margin(1e-6));
}

TEST_CASE("a link's own response is divided out of every line, and how well it is known counts", "[spectrum][link]") {
  constexpr std::size_t n = 8192;
  const double f = 205 * kRate / double(n), corner = 3e3;
  // A tone of 1 V and its third harmonic of 10 mV behind a pole.
  const auto pole = [&](double at) { return 1 / std::sqrt(1 + std::pow(at / corner, 2)); };
  const auto record = sampled(n, [&](double t) { return pole(f) * std::cos(2 * pi * f * t) + 0.01 * pole(3 * f) * std::cos(6 * pi * f * t + 1); }, 1e-6);
  CHECK(value(read(record), "harmonic.3.level") == Approx(-40 + db(pole(3 * f) / pole(f))).margin(0.01));
  const auto divided = read(record, {{"link.v", "corner 3 kHz 2 %"}});
  CHECK(value(divided, "fundamental.level") == Approx(db(std::sqrt(0.5))).margin(1e-3));
  CHECK(value(divided, "harmonic.3.level") == Approx(-40).margin(0.01));
  // dH/H = x^2/(1 + x^2) of the corner's own.
  const double x2 = std::pow(f / corner, 2), y2 = 9 * x2, u_db = 8.6859 * 0.02;
  CHECK(*divided.find("harmonic.3.level")->u == Approx(u_db * std::hypot(x2 / (1 + x2), y2 / (1 + y2))).epsilon(0.05));
  // An integrator of 1 ms leaves 1/(2 pi f tau).
  const auto fallen = sampled(n, [&](double t) { return std::sin(2 * pi * f * t) / (2 * pi * f * 1e-3); }, 1e-7);
  CHECK(value(read(fallen, {{"link.v", "integrator 1 ms"}}), "fundamental.level") == Approx(db(std::sqrt(0.5))).margin(1e-3));
  // Points: the tone lies half way between two, by lg f.
  const auto between = fmt::format("points {:.9g} Hz 0 dB, {:.9g} Hz -6 dB", f / 2, f * 2);
  CHECK(value(read(record, {{"link.v", between}}), "fundamental.level") == Approx(db(std::sqrt(0.5) * pole(f)) + 3).margin(1e-3));
  // What passes no DC lifts what it let through, and of what it did not nothing is said: noise is not made larger by it.
  const auto high = [&](double at) { return 1 / std::sqrt(1 + std::pow(500 / at, 2)); };
  const auto passed = sampled(n, [&](double t) { return high(f) * std::cos(2 * pi * f * t); }, 1e-3);
  const auto lifted = read(passed, {{"link.v", "low_corner 500 Hz"}});
  CHECK(value(lifted, "fundamental.level") == Approx(db(std::sqrt(0.5))).margin(2e-3));
  CHECK(value(lifted, "snr") == Approx(value(read(passed), "snr")).margin(0.3));
  // Of another quantity, or taken out, it does nothing.
  for (const auto& settings : {study::SettingsText{{"link.i", "corner 3 kHz"}}, {{"link.v", "none"}}})
    CHECK(value(read(record, settings), "fundamental.level") == Approx(db(std::sqrt(0.5) * pole(f))).margin(1e-3));
  study::spectrum::Settings settings;
  for (const auto& [text, u] : {std::pair{"corner 3 kHz 0.5 %", 0.005}, {"corner 3 kHz 0 %", 0.0}, {"corner 3 kHz 99 %", 0.99}}) {
    REQUIRE(study::spectrum::set(settings, "link.v", text));
    CHECK(settings.links.at("v").u == Approx(u));
  }
  for (const char* bad : {"", "corner", "corner 0 Hz", "corner -3 kHz", "corner 3 V", "corner nan", "integrator 1 kHz", "pole 3 kHz", "points", "points 1 kHz", "points 2 kHz 0 dB, 1 kHz 0 dB",
                          "points 0 Hz 0 dB", "corner 3 kHz 120 %", "corner 3 kHz x %", "points 1 kHz inf dB"}) {
    CAPTURE(bad);
    CHECK_FALSE(study::spectrum::set(settings, "link.v", bad));
  }
  for (const char* good : {"corner 3 kHz", "corner 3kHz 2%", "low_corner 9 Hz", "integrator 1ms 1 %", "points 1kHz 0dB, 10 kHz -3.1 dB 1 %"}) {
    CAPTURE(good);
    REQUIRE(study::spectrum::set(settings, "link.v", good));
    const auto text = study::spectrum::as_text(settings).at("link.v");
    auto again = settings;
    REQUIRE(study::spectrum::set(again, "link.v", text));
    CHECK(study::spectrum::as_text(again).at("link.v") == text);
  }
}

TEST_CASE("what a link lifts near half the rate has not folded", "[spectrum][link][doubts]") {
  const auto v = sampled(8192, [](double t) { return std::cos(2 * pi * 205 * kRate / 8192 * t); }, 1e-4, 6);
  CHECK_FALSE(doubted(read(v, {{"link.v", "integrator 1 ms"}}), "sampling.coarse"));
  CHECK_FALSE(doubted(read(v, {{"link.v", "points 1 kHz 0 dB, 50 kHz -30 dB"}}), "sampling.coarse"));
  // What stands there all the same has, also where the link makes little of it.
  auto folded = v;
  for (std::size_t k = 0; k < folded.size(); ++k) folded[k] += 4e-4 * std::cos(2 * pi * 4000 / 8192 * double(k));
  CHECK(doubted(read(folded, {{"link.v", "points 1 kHz 0 dB, 50 kHz 30 dB"}}), "sampling.coarse"));
}

TEST_CASE("what folds is told by the lines as they were read, whatever a link makes of them", "[spectrum][link][doubts]") {
  std::mt19937_64 random(5);
  std::vector<double> v;
  const std::size_t n = 8192;
  // Noise of one size everywhere, and much more of it close to half the rate.
  for (std::size_t k = 0; k < n; ++k) v.push_back(std::cos(2 * pi * 700 * double(k) / double(n)) + 1e-4 * normal_deviate(random));
  for (int j = 0; j < 60; ++j) {
    const double cycles = 0.985 * double(n) / 2 + 1.7 * j / 2;
    for (std::size_t k = 0; k < n; ++k) v[k] += 4e-5 * std::cos(2 * pi * std::fmod(cycles * double(k) / double(n), 1.0) + j * j);
  }
  CHECK(doubted(read(v), "sampling.coarse"));
  CHECK(doubted(read(v, {{"link.v", "corner 1 kHz"}}), "sampling.coarse"));
}

TEST_CASE("a filter before an input is divided out by the network file that describes it", "[spectrum][link]") {
  constexpr std::size_t n = 8192;
  const double f = 205 * kRate / double(n), corner = 3e3;
  exchange::NetworkData data{.ports = 2, .frequency = {}, .elements = {}, .notes = {}};
  for (int k = 0; k <= 400; ++k) {
    data.frequency.push_back(std::pow(10, 1 + k / 80.0));
    const auto through = 1.0 / std::complex<double>(1, data.frequency.back() / corner);
    data.elements.push_back({1.0 - through, through, through, 1.0 - through});
  }
  const test::Folder folder;
  const auto path = folder.write("a filter.s2p", exchange::write_touchstone(data));
  const auto kept = exchange::kept_setting(study::spectrum::kind(), "link.v", "file " + path + " 2 %");
  if (!kept) FAIL(kept.error().message);
  // As few points as give it back to a hundredth of a decibel.
  CHECK(std::count(kept->begin(), kept->end(), ',') < 60);
  study::spectrum::Settings settings;
  REQUIRE(study::spectrum::set(settings, "link.v", *kept));
  for (int k = 0; k <= 90; ++k) {
    const double at = std::pow(10, 1.2 + k / 20.0);
    CHECK(10 * std::log10(settings.links.at("v").power_gain(at)) == Approx(-10 * std::log10(1 + std::pow(at / corner, 2))).margin(0.012));
  }
  const auto pole = [&](double at) { return 1 / std::sqrt(1 + std::pow(at / corner, 2)); };
  const auto record = sampled(n, [&](double t) { return pole(f) * std::cos(2 * pi * f * t); }, 1e-6);
  const auto divided = read(record, {{"link.v", *kept}});
  CHECK(value(divided, "fundamental.level") == Approx(db(std::sqrt(0.5))).margin(0.012));
  CHECK(*divided.find("fundamental.level")->u == Approx(8.6859 * 0.02).epsilon(0.01));
  CHECK(*exchange::kept_setting(study::spectrum::kind(), "link.v", "file " + path) == kept->substr(0, kept->rfind(" 2")));
  // What names no file, or is no link, stays what it is.
  CHECK(*exchange::kept_setting(study::spectrum::kind(), "link.v", "corner 3 kHz") == "corner 3 kHz");
  CHECK(*exchange::kept_setting(study::spectrum::kind(), "window", "file x") == "file x");
  CHECK(*exchange::kept_setting(*study::find_kind("waveform"), "link.v", "file x") == "file x");
  for (const auto& bad : {std::string("file ") + folder.file("nothing.s2p"), std::string("file 2 %"), std::string("file ") + folder.write("one.s1p", "# Hz S RI R 50\n1e3 0.5 0\n"),
                          std::string("file ") + folder.write("silent.s2p", "# Hz S RI R 50\n1e3 0 0 0 0 0 0 0 0\n"), std::string("file ") + folder.write("empty.s2p", "")}) {
    INFO(bad);
    CHECK_FALSE(exchange::kept_setting(study::spectrum::kind(), "link.v", bad));
  }
}

TEST_CASE("a sweep that begins where the gain moves already says so", "[spectrum][sweep][doubts]") {
  const auto doubts = [](double from) {
    std::vector<double> peaks;
    for (int k = 0; k < 9; ++k) peaks.push_back(from * std::pow(20, k / 8.0));
    const auto analysis = study::spectrum::kind().analyse(swept_cube(5, 3, peaks), {}, {});
    REQUIRE(analysis);
    return std::count_if(analysis->reading.doubts.begin(), analysis->reading.doubts.end(), [](const auto& d) { return d.key == "level.dependent"; });
  };
  // Of peak a the gain is 5 - 2.25 a^2; within the first decade the highest level is 20^(6/8) times the lowest, which moves the
  // gain by 0.1 dB from 17.0 mV on.
  CHECK(doubts(16.6e-3) == 0);
  CHECK(doubts(17.4e-3) == 1);
}

TEST_CASE("noise is its input's own from a quarter of it on", "[spectrum][doubts]") {
  constexpr std::size_t n = 1 << 16;
  const auto with_range = [](std::vector<double> v, const char* purpose) {
    auto point = point_of(v);
    point.records[0].channels[0].range = 5;
    if (*purpose) point.setting = point.setting.with("purpose", purpose);
    return point;
  };
  const auto limited = [&](double share) {
    const auto tone = with_range(sampled(n, [](double t) { return std::cos(2 * pi * 9.1e3 * t); }, 1e-3, 4), "");
    const auto own = with_range(sampled(n, [](double) { return 0.02; }, 1e-3 * std::sqrt(share), 5), "short");
    const auto analysis = study::spectrum::kind().analyse({tone, own}, {}, {"snr"});
    REQUIRE(analysis);
    return std::any_of(analysis->reading.doubts.begin(), analysis->reading.doubts.end(), [](const auto& d) { return d.key == "noise.limited"; });
  };
  CHECK(limited(0.26));
  CHECK_FALSE(limited(0.24));
}

TEST_CASE("a point that is still being read comes to what its records come to, each more and in every way of averaging", "[spectrum]") {
  constexpr std::size_t n = 2048;
  for (const char* average : {"power", "coherent"}) {
    const study::SettingsText settings = {{"average", average}};
    auto growing = study::spectrum::reducer(settings);
    REQUIRE(growing);
    CHECK((*growing)->grows());
    study::Point point{.setting = nlohmann::json::object(), .records = {}};
    std::vector<study::ReducedPtr> before;
    // More than are looked at for where the fundamental is.
    for (unsigned k = 0; k < 20; ++k) {
      point.records.push_back(point_of(sampled(n, [](double t) { return std::cos(2 * pi * 231.3 * kRate / n * t); }, 0.01, k + 1)).records.front());
      REQUIRE((*growing)->add(point));
      const auto now = (*growing)->so_far();
      REQUIRE(now);
      const auto told = (*now)->read(settings, {});
      REQUIRE(told);
      const auto whole = study::spectrum::kind().analyse({point}, settings, {});
      REQUIRE(whole);
      INFO(average << " of " << k + 1);
      for (const char* key : {"snr", "fundamental.frequency", "noise_floor"}) CHECK(value(told->reading, key) == Approx(value(whole->reading, key)).epsilon(1e-12));
      CHECK(*told->reading.find("snr")->u == Approx(*whole->reading.find("snr")->u).epsilon(1e-9));
      CHECK(told->curve->columns.at(0).y == whole->curve->columns.at(0).y);
      before.push_back(*now);
    }
    // What was shown before is still what it was.
    const auto fifth = before[4]->read(settings, {});
    point.records.resize(5);
    CHECK(value(fifth->reading, "snr") == Approx(value(study::spectrum::kind().analyse({point}, settings, {})->reading, "snr")).epsilon(1e-12));
  }
}

TEST_CASE("figures are read while a take runs as long as its records are few", "[spectrum]") {
  const auto quick = [](std::size_t samples) {
    auto reducer = study::spectrum::reducer({});
    REQUIRE(reducer);
    REQUIRE((*reducer)->add(point_of(std::vector<double>(samples, 0.5))));
    return (*(*reducer)->so_far())->quick();
  };
  CHECK(quick(300'000));
  CHECK_FALSE(quick(300'001));
  // Of a point that grows only what came last is transformed; points that are whole count with all they hold.
  auto growing = study::spectrum::reducer({});
  auto point = point_of(std::vector<double>(200'000, 0.5));
  for (int k = 0; k < 3; ++k) {
    REQUIRE((*growing)->add(point));
    CHECK((*(*growing)->so_far())->quick());
    point.records.push_back(point.records.front());
  }
  auto several = study::spectrum::reducer({});
  for (int k = 0; k < 2; ++k) {
    auto one = point_of(std::vector<double>(200'000, 0.5));
    one.index = k;
    REQUIRE((*several)->add(one));
  }
  CHECK_FALSE((*(*several)->so_far())->quick());
  auto empty = study::spectrum::reducer({});
  REQUIRE(empty);
  const auto nothing = (*empty)->so_far();
  REQUIRE_FALSE(nothing);
  CHECK(nothing.error().message == "There is no record.");
  CHECK_FALSE(study::spectrum::reducer({{"window", "kaiser"}}));
}

}  // namespace spectra
