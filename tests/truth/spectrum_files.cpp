#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/spectrum/kind.h"
#include "truth/truth.h"

namespace heron::truth {
namespace tones {
namespace {

using std::numbers::pi;

constexpr double kRate = 100e3;
constexpr std::size_t kSamples = 8192;

struct Recorded {
  std::function<double(double)> of;  ///< of time in s
  double noise = 1e-4;               ///< V rms
  int records = 1;
  study::SettingsText settings = {};
};

Outcome read(const Recorded& r, std::mt19937_64& random, std::map<std::string, double> truth) {
  std::vector<std::string> asked;
  for (const auto& [key, value] : truth) asked.push_back(key);
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  for (int pass = 0; pass < r.records; ++pass) {
    study::Record record{.pass = pass, .sample_rate = kRate};
    study::Channel channel{.role = "v", .unit = "V"};
    for (std::size_t k = 0; k < kSamples; ++k) channel.numbers.push_back(r.of(double(k) / kRate) + r.noise * normal_deviate(random));
    record.channels.push_back(std::move(channel));
    point.records.push_back(std::move(record));
  }
  const auto analysis = study::spectrum::kind().analyse({point}, r.settings, asked);
  return {analysis ? analysis->reading : study::Reading{}, std::move(truth)};
}

double db(double ratio) { return 20 * std::log10(ratio); }

/// A tone anywhere with a second and a third harmonic that may fold.
Outcome tone(unsigned seed, const char* window, double noise, int records) {
  std::mt19937_64 random(seed);
  const bool whole = std::string_view(window) == "rectangular";
  const auto within = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
  const auto folded_lines = [](double x) {
    const double m = std::fmod(x, double(kSamples));
    return m > kSamples / 2 ? kSamples - m : m;
  };
  // Not where harmonics fall onto each other or onto an end.
  double cycles = 0;
  const auto crowded = [&] {
    const double places[] = {0, kSamples / 2, cycles, folded_lines(2 * cycles), folded_lines(3 * cycles)};
    for (int a = 0; a < 5; ++a)
      for (int b = 0; b < a; ++b)
        if (std::abs(places[a] - places[b]) < 12) return true;
    return false;
  };
  do {
    cycles = within(200, 1700);
    if (whole) cycles = 2 * std::floor(cycles / 2) + 1;
  } while (crowded());
  const double f = cycles * kRate / kSamples, phase = within(-pi, pi), second = within(-pi, pi), third = within(-pi, pi);
  const double peak = 0.8, h2 = 1.3e-3, h3 = 0.5e-3, w = 2 * pi * f;
  const auto of = [=](double t) {
    return 0.05 + peak * std::cos(w * t + phase) + peak * h2 * std::cos(2 * w * t + second) + peak * h3 * std::cos(3 * w * t + third);
  };
  const auto folded = [](double x) {
    const double m = std::fmod(x, kRate);
    return m > kRate / 2 ? kRate - m : m;
  };
  const double power = peak * peak / 2, noise_power = noise * noise, bent = power * (h2 * h2 + h3 * h3);
  return read({of, noise, records, {{"window", window}, {"harmonics", "2..3"}, {"full_scale", "1 V"}}}, random,
              {{"fundamental.frequency", f},
               {"fundamental.level", db(peak)},
               {"snr", 10 * std::log10(power / noise_power)},
               {"snr.fs", 10 * std::log10(0.5 / noise_power)},
               {"sinad", 10 * std::log10(power / (noise_power + bent))},
               {"thd", 10 * std::log10(bent / power)},
               {"thd.percent", 100 * std::sqrt(bent / power)},
               {"thd_n", -10 * std::log10(power / (noise_power + bent))},
               {"sfdr", -db(h2)},
               {"worst_spur.frequency", folded(2 * f)},
               {"enob", (10 * std::log10(power / (noise_power + bent)) - 1.7609 - db(peak)) / 6.0206},
               {"noise_floor", 10 * std::log10(noise_power / (kRate / 2) / 0.5)},
               {"harmonic.2.level", db(h2)},
               {"harmonic.3.level", db(h3)},
               {"harmonic.3.frequency", folded(3 * f)},
               {"noise.rms(5kHz,9kHz)", noise * std::sqrt(4e3 / (kRate / 2))}});
}

/// Two tones through a bend: y = x + c x^2 + b x^3 of two equal cosines.
Outcome mixed(unsigned seed) {
  std::mt19937_64 random(seed);
  const double f1 = 20.03e3 + double(seed % 97) * 3.1, f2 = f1 + 1.71e3, a = 0.3, c = 4e-3, b = 0.02;
  const auto of = [=](double t) {
    const double x = a * (std::cos(2 * pi * f1 * t + 0.3) + std::cos(2 * pi * f2 * t - 1.1));
    return x + c * x * x + b * x * x * x;
  };
  const double carrier = a + 2.25 * b * a * a * a;
  return read({of, 5e-5, 1, {}}, random, {{"imd.3", db(0.75 * b * a * a * a / carrier)}, {"imd.2", db(c * a * a / (std::sqrt(2.0) * carrier))}});
}

/// A sweep over level through y = g x - b x^3.
Outcome compressed(unsigned seed) {
  std::mt19937_64 random(seed);
  const double g = 4 + double(random() % 1000) * 1e-3, b = 2.4, f = 1021 * kRate / kSamples, edge = g * (1 - std::pow(10, -0.05));
  std::vector<study::Point> points;
  for (int k = 0; k < 17; ++k) {
    const double a = 0.004 * std::pow(200, k / 16.0);
    study::Record record{.sample_rate = kRate};
    study::Channel channel{.role = "v", .unit = "V"};
    for (std::size_t i = 0; i < kSamples; ++i) {
      const double x = a * std::cos(2 * pi * f * double(i) / kRate);
      channel.numbers.push_back(g * x - b * x * x * x + 2e-2 * normal_deviate(random));
    }
    record.channels.push_back(std::move(channel));
    study::Point point{.index = k, .setting = {{"swept", {{"name", "level"}, {"unit", "V"}, {"value", a / std::sqrt(2.0)}}}}, .records = {}};
    point.records.push_back(std::move(record));
    points.push_back(std::move(point));
  }
  // At one of the levels that were taken, so that nothing lies between.
  const double at = 0.004 * std::pow(200, 13 / 16.0), gain = g - 0.75 * b * at * at;
  const auto level = fmt::format("level.out@{:.12g}V", at / std::sqrt(2.0)), bend = fmt::format("thd@{:.12g}V", at / std::sqrt(2.0));
  const auto analysis = study::spectrum::kind().analyse(points, {{"harmonics", "2..3"}}, {level, bend});
  auto reading = analysis ? analysis->reading : study::Reading{};
  for (auto& figure : reading.figures) figure.key = figure.key.substr(0, figure.key.find('@')) + (figure.key.find('@') == std::string::npos ? "" : "@L");
  return {std::move(reading), {{"level.out@L", at * gain / std::sqrt(2.0)}, {"thd@L", db(b * at * at / 4 / gain)}, {"compression.1dB.input", std::sqrt(edge / (0.75 * b)) / std::sqrt(2.0)},
                               {"compression.1dB.output", std::sqrt(edge / (0.75 * b)) / std::sqrt(2.0) * g * std::pow(10, -0.05)}}};
}

/// Codes of a converter whose transitions stray each by a little, as an S, and of which one is too wide; a sine a little beyond
/// full scale with some noise.
Outcome coded(unsigned seed) {
  std::mt19937_64 random(seed);
  constexpr int kHalf = 128;
  constexpr std::size_t kMany = 1 << 15;
  std::vector<double> at;
  const int wide = -90 + int(random() % 180);
  for (int code = -kHalf + 1; code < kHalf; ++code) {
    const double x = double(code) / kHalf;
    at.push_back(code - 0.5 + 0.7 * 2.598 * (x * x * x - x) + 0.03 * normal_deviate(random) - (code == wide ? 0.35 : 0) + (code == wide + 1 ? 0.35 : 0));
  }
  double widest = 0, furthest = 0;
  const double scale = (at.back() - at.front()) / double(at.size() - 1);
  for (std::size_t k = 0; k < at.size(); ++k) {
    const double off = (at[k] - at.front()) / scale - double(k);
    furthest = std::max(furthest, std::abs(off));
    if (k > 0) widest = std::max(widest, std::abs((at[k] - at[k - 1]) / scale - 1));
  }
  const double cycles = 2 * double(random() % 400) + 1001, phase = double(random() % 1000) * 2e-3 * pi, peak = 129 + double(random() % 100) * 0.02;
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = kRate};
  study::Channel channel{.role = "v", .unit = "1"};
  for (std::size_t k = 0; k < kMany; ++k) {
    const double v = peak * std::sin(2 * pi * cycles * double(k) / double(kMany) + phase) + 0.4 * normal_deviate(random);
    channel.numbers.push_back(double(std::upper_bound(at.begin(), at.end(), v) - at.begin()) - kHalf);
  }
  record.channels.push_back(std::move(channel));
  point.records.push_back(std::move(record));
  const auto analysis = study::spectrum::kind().analyse({point}, {{"bits", "8"}, {"full_scale", "1 V"}}, {"dnl.max", "inl.max"});
  return {analysis ? analysis->reading : study::Reading{}, {{"dnl.max", widest}, {"inl.max", furthest}}};
}

Experiment with(const char* name, const char* window, double noise, int records = 1) {
  return {"spectrum", name, [=](unsigned seed) { return tone(seed, window, noise, records); }, 400, 60};
}

}  // namespace
}  // namespace tones

std::vector<Experiment> spectrum_files() {
  using tones::with;
  return {with("tone, Hann", "hann", 1e-4),
          with("tone, Blackman-Harris", "blackman_harris", 1e-4),
          with("tone, flat top", "flat_top", 1e-4),
          with("tone, whole cycles without a window", "rectangular", 1e-4),
          with("tone, eight records", "blackman_harris", 4e-4, 8),
          {"spectrum", "codes of a sine", tones::coded, 400, 40},
          {"spectrum", "two tones, bent", tones::mixed, 400, 60},
          {"spectrum", "sweep over level, a cube", tones::compressed, 200, 0}};
}

}  // namespace heron::truth
