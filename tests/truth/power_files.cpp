#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/power/kind.h"
#include "truth/truth.h"

namespace heron::truth {
namespace feeds {
namespace {

using std::numbers::pi;

constexpr double kRate = 20e3;

struct Given {
  const char *role, *unit;
  std::function<double(double)> of;  ///< of time in s
  double noise = 0;
};

Outcome read(const std::vector<Given>& given, std::size_t samples, double rate, std::mt19937_64& random, const study::SettingsText& settings, std::map<std::string, double> truth) {
  std::vector<std::string> asked;
  for (const auto& [key, value] : truth) asked.push_back(key);
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = rate};
  for (const auto& g : given) {
    study::Channel channel{.role = g.role, .unit = g.unit};
    for (std::size_t k = 0; k < samples; ++k) channel.numbers.push_back(g.of(double(k) / rate) + g.noise * normal_deviate(random));
    record.channels.push_back(std::move(channel));
  }
  point.records.push_back(std::move(record));
  const auto analysis = study::power::kind().analyse({point}, settings, asked);
  return {analysis ? analysis->reading : study::Reading{}, std::move(truth)};
}

double within(std::mt19937_64& random, double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; }

/// One phase with harmonics, anywhere between 45 and 65 Hz, so many cycles.
Outcome one_phase(unsigned seed, std::size_t samples) {
  std::mt19937_64 random(seed);
  const double f = within(random, 45, 65), start = within(random, -pi, pi), lag = within(random, -1, 1.2);
  const double v1 = 325, v5 = 6, i1 = 7, i3 = 2.1, i5 = 1.2, third = within(random, -pi, pi), fifth = within(random, -pi, pi);
  const auto w = [=](double t) { return 2 * pi * f * t + start; };
  const auto v = [=](double t) { return v1 * std::cos(w(t)) + v5 * std::cos(5 * w(t)); };
  const auto i = [=](double t) { return i1 * std::cos(w(t) - lag) + i3 * std::cos(3 * w(t) + third) + i5 * std::cos(5 * w(t) + fifth); };
  const double vrms = std::sqrt((v1 * v1 + v5 * v5) / 2), irms = std::sqrt((i1 * i1 + i3 * i3 + i5 * i5) / 2);
  double v_high = 0, i_high = 0;
  for (double t = 0; t < 1 / f; t += 1e-6) {
    v_high = std::max(v_high, std::abs(v(t)));
    i_high = std::max(i_high, std::abs(i(t)));
  }
  const double active = v1 * i1 / 2 * std::cos(lag) + v5 * i5 / 2 * std::cos(fifth);
  return read({{"v", "V", v, 0.5}, {"i", "A", i, 0.02}}, samples, kRate, random, {{"class", "A"}},
              {{"frequency", f},
               {"voltage.crest", v_high / std::hypot(vrms, 0.5)},
               {"current.crest", i_high / std::hypot(irms, 0.02)},
               {"harmonic.margin", 100 * (1 - i5 / std::numbers::sqrt2 / 1.14)},
               {"voltage.rms", std::hypot(vrms, 0.5)},
               {"current.rms", std::hypot(irms, 0.02)},
               {"power.active", active},
               {"power.apparent", std::hypot(vrms, 0.5) * std::hypot(irms, 0.02)},
               {"power.reactive", v1 * i1 / 2 * std::sin(lag)},
               {"power_factor", active / (std::hypot(vrms, 0.5) * std::hypot(irms, 0.02))},
               {"power_factor.displacement", std::cos(lag)},
               {"angle.current", lag * 180 / pi},
               {"thd.voltage", 100 * v5 / v1},
               {"thd.current", 100 * std::hypot(i3, i5) / i1},
               {"harmonic.current.3", i3 / std::numbers::sqrt2},
               {"harmonic.current.5", i5 / std::numbers::sqrt2},
               {"harmonic.voltage.5", v5 / std::numbers::sqrt2}});
}

/// Three phases with unbalance.
Outcome three_phases(unsigned seed) {
  std::mt19937_64 random(seed);
  const double f = within(random, 48, 52), lag = within(random, -0.6, 1), turn = within(random, -pi, pi), other = within(random, -pi, pi);
  const double v = 325, against_v = 8, i = 9, against_i = 0.4;
  std::vector<Given> given;
  const char *names[] = {"va", "vb", "vc", "ia", "ib", "ic"};
  for (int p = 0; p < 3; ++p) given.push_back({names[p], "V", [=](double t) { return v * std::cos(2 * pi * (f * t - p / 3.0)) + against_v * std::cos(2 * pi * (f * t + p / 3.0) + turn); }, 0.4});
  for (int p = 0; p < 3; ++p) given.push_back({names[3 + p], "A", [=](double t) { return i * std::cos(2 * pi * (f * t - p / 3.0) - lag) + against_i * std::cos(2 * pi * (f * t + p / 3.0) + other); }, 0.02});
  const double active = 1.5 * (v * i * std::cos(lag) + against_v * against_i * std::cos(turn - other)), reactive = 1.5 * (v * i * std::sin(lag) + against_v * against_i * std::sin(turn - other));
  // An rms has the noise in it: of the effective voltage five sixths of one phase's, of the current twice, for the neutral is
  // their sum.
  const double apparent = 3 * std::sqrt((v * v + against_v * against_v) / 2 + 5 / 6.0 * 0.4 * 0.4) * std::sqrt((i * i + against_i * against_i) / 2 + 2 * 0.02 * 0.02);
  const auto a = std::polar(v, 0.0) + std::polar(against_v, turn), b = std::polar(v, -2 * pi / 3) + std::polar(against_v, turn + 2 * pi / 3), c = std::polar(v, 2 * pi / 3) + std::polar(against_v, turn - 2 * pi / 3);
  return read(given, 4096, kRate, random, {},
              {{"power.active", active},
               {"power.reactive", reactive},
               {"unbalance.voltage", 100 * against_v / v},
               {"unbalance.current", 100 * against_i / i},
               {"power.apparent", apparent},
               {"power_factor", active / apparent},
               {"power_factor.displacement", active / std::hypot(active, reactive)},
               {"angle.ab", std::remainder(std::arg(a / b) * 180 / pi, 360)},
               {"angle.bc", std::remainder(std::arg(b / c) * 180 / pi, 360)},
               {"angle.ca", std::remainder(std::arg(c / a) * 180 / pi, 360)}});
}

/// The largest rms of a window over a current, and when it has come to stay within a band, by small steps of its own.
struct Sliding {
  double highest = 0, settled_after = 0;
};
Sliding sliding(const std::function<double(double)>& i, double on, double end, double window, double steady, double noise, double peak, double band) {
  constexpr double kStep = 1e-6;
  const auto count = std::size_t(end / kStep);
  std::vector<double> squares(count + 1);
  for (std::size_t k = 0; k < count; ++k) squares[k + 1] = squares[k] + std::pow(i((double(k) + 0.5) * kStep), 2) * kStep;
  const auto half = std::size_t(std::lround(window / kStep / 2));
  const auto rms = [&](std::size_t k) { return std::hypot(std::sqrt((squares[k + half] - squares[k - half]) / (2 * double(half) * kStep)), noise); };
  Sliding out;
  std::size_t settled = count - half;
  for (std::size_t k = half; k + half <= count; ++k) out.highest = std::max(out.highest, rms(k));
  while (settled > half && std::abs(rms(settled) / steady - 1) <= band) --settled;
  double begins = on;
  while (begins < end && std::abs(i(begins)) <= 0.05 * peak) begins += 1e-7;
  out.settled_after = double(settled + 1) * kStep - begins;
  return out;
}

/// A current that decays onto a direct one.
Outcome switched_on(unsigned seed) {
  std::mt19937_64 random(seed);
  const double on = 0.1 + within(random, 0, 1e-3), tau = within(random, 0.03, 0.06), over = within(random, 12, 18), steady = 2, rate = 10e3, front = 2e-3;
  // A front without a corner: x^2 (3 - 2 x).
  const auto rising = [=](double t) {
    const double x = std::clamp((t - on) / front, 0.0, 1.0);
    return x * x * (3 - 2 * x);
  };
  const auto i = [=](double t) { return rising(t) * (steady + over * std::exp(-std::max(0.0, t - on) / tau)); };
  constexpr std::size_t n = 8000;
  double peak = 0, squares = 0;
  const double end = double(n - 1) / rate, step = 2e-6, noise = 0.03;
  for (double t = on; t < end; t += step) {
    peak = std::max(peak, i(t));
    squares += i(t) * i(t) * step;
  }
  const auto truth = sliding(i, on, end, 10e-3, std::hypot(steady, noise), noise, peak, 0.1);
  return read({{"i", "A", i, noise}}, n, rate, random, {{"method", "switch_on"}},
              {{"inrush.peak.positive", peak}, {"inrush.i2t", squares}, {"idle.rms", noise}, {"steady.rms", std::hypot(steady, noise)}, {"inrush.rms.max", truth.highest}, {"inrush.settled_after", truth.settled_after}});
}

/// A coil that the mains is switched onto: a sine and an offset that dies away.
Outcome coil_switched_on(unsigned seed) {
  std::mt19937_64 random(seed);
  const double f = within(random, 49, 51), on = 0.06 + within(random, 0, 1e-3), tau = within(random, 0.02, 0.05), peak_current = within(random, 5, 8), phase = within(random, -0.5, 0.5), rate = 20e3, noise = 0.02;
  const auto i = [=](double t) { return t < on ? 0.0 : peak_current * (std::cos(2 * pi * f * (t - on) + phase) - std::cos(phase) * std::exp(-(t - on) / tau)); };
  const auto v = [=](double t) { return 325 * std::cos(2 * pi * f * (t - on) + phase + 1.4); };
  constexpr std::size_t n = 12000;
  const double end = double(n - 1) / rate, step = 2e-6;
  double highest = 0, lowest = 0, squares = 0;
  for (double t = on; t < end; t += step) {
    highest = std::max(highest, i(t));
    lowest = std::min(lowest, i(t));
    squares += i(t) * i(t) * step;
  }
  const auto truth = sliding(i, on, end, 0.5 / f, std::hypot(peak_current / std::numbers::sqrt2, noise), noise, std::max(highest, -lowest), 0.1);
  return read({{"v", "V", v, 0.3}, {"i", "A", i, noise}}, n, rate, random, {{"method", "switch_on"}},
              {{"inrush.peak.positive", highest}, {"inrush.peak.negative", lowest}, {"inrush.i2t", squares}, {"steady.rms", std::hypot(peak_current / std::numbers::sqrt2, noise)}, {"inrush.rms.max", truth.highest}, {"inrush.settled_after", truth.settled_after}});
}

/// Sleep, listening and bursts with noise.
Outcome profiled(unsigned seed) {
  std::mt19937_64 random(seed);
  const double sleep = 40e-6, listen = 8e-3, burst = 0.1, rate = 10e3, every = within(random, 0.9, 1.1), start = within(random, 0.2, 0.5), ends = within(random, 0.05, 0.06), quiet = within(random, 0.03, 0.031);
  const auto i = [=](double t) {
    const double in = std::fmod(t - start + 10 * every, every);
    return in < ends ? (in > 0.02 && in < quiet ? burst : listen) : sleep;
  };
  constexpr std::size_t n = 40000;
  double sum = 0, active = 0, bursts = 0;
  for (std::size_t k = 0; k < n; ++k) sum += i(double(k) / rate) / double(n);
  // Of the time, wherever the samples fall.
  const double whole = double(n) / rate;
  for (double begins = start - every; begins < whole; begins += every) {
    const auto inside = [&](double from, double to) { return std::max(0.0, std::min(to, whole) - std::max(from, 0.0)) / whole; };
    active += inside(begins, begins + ends);
    bursts += inside(begins + 0.02, begins + quiet);
  }
  const double volts = 3.3;
  return read({{"i", "A", i, 20e-6}, {"v", "V", [=](double) { return volts; }, 1e-3}}, n, rate, random, {{"method", "profile"}, {"battery", "19 Ah"}},
              {{"profile.peak", burst},
               {"profile.energy", volts * sum * whole},
               {"profile.active", ((active - bursts) * listen + bursts * burst) / active},
               {"profile.active.share", active},
               {"profile.state.1.level", sleep},
               {"profile.state.1.share", 1 - active},
               {"profile.state.2.share", active - bursts},
               {"profile.state.3.share", bursts},
               {"profile.mean", sum}, {"profile.sleep", sleep}, {"profile.life", 19 * 3600 / sum}, {"profile.charge", sum * double(n) / rate}, {"profile.state.2.level", listen}, {"profile.state.3.level", burst},
               {"profile.wake.charge", (ends - (quiet - 0.02)) * (listen - sleep) + (quiet - 0.02) * (burst - sleep)}});
}

}  // namespace
}  // namespace feeds

std::vector<Experiment> power_files() {
  using namespace feeds;
  return {{"power", "one phase, some 11 cycles", [](unsigned seed) { return one_phase(seed, 4096); }, 400, 40},
          {"power", "one phase, some 4 cycles", [](unsigned seed) { return one_phase(seed, 1600); }, 400},
          {"power", "three phases, unbalanced", three_phases, 400, 30},
          {"power", "a current that is switched on", switched_on, 400, 20},
          {"power", "a coil that the mains is switched onto", coil_switched_on, 400},
          {"power", "a profile of three states", profiled, 200}};
}

}  // namespace heron::truth
