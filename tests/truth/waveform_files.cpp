#include <cmath>
#include <numbers>
#include <random>

#include "study/waveform/kind.h"
#include "truth/models.h"
#include "truth/truth.h"

namespace heron::truth {
namespace {

using std::numbers::pi;

/// Two records at most, sampled from their formulas with white noise put on.
struct Recorded {
  double start = 0, step = 1e-6;
  std::size_t samples = 4000;
  double noise = 5e-3;
  std::vector<std::pair<std::string, std::function<double(double)>>> columns;
  study::SettingsText settings = {};
  int passes = 1;
};

study::Point point_of(const Recorded& r, std::mt19937_64& random) {
  std::normal_distribution<double> normal(0, r.noise);
  study::Record record;
  study::Channel time{.role = "time", .unit = "s"};
  for (std::size_t k = 0; k < r.samples; ++k) time.numbers.push_back(r.start + r.step * double(k));
  for (const auto& [name, f] : r.columns) {
    study::Channel channel{.role = name, .unit = name.front() == 'i' ? "A" : "V"};
    for (const double t : time.numbers) channel.numbers.push_back(f(t) + normal(random));
    record.channels.push_back(std::move(channel));
  }
  record.channels.insert(record.channels.begin(), std::move(time));
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  point.records.push_back(std::move(record));
  return point;
}

Outcome read(const Recorded& r, unsigned seed, std::map<std::string, double> truth) {
  std::mt19937_64 random(seed);
  std::vector<std::string> asked;
  for (const auto& [key, value] : truth) asked.push_back(key);
  std::vector<study::Point> points;
  for (int pass = 0; pass < r.passes; ++pass) {
    points.push_back(point_of(r, random));
    points.back().index = pass;
  }
  const auto analysis = study::waveform::kind().analyse(points, r.settings, asked);
  return {analysis ? analysis->reading : study::Reading{}, std::move(truth)};
}

Outcome one_pole_step(unsigned seed) {
  const double tau = 5e-6;
  return read({.start = -80e-6, .step = 0.1e-6, .columns = {{"v", [=](double t) { return t < 0 ? 0 : 1 - std::exp(-t / tau); }}},
               .settings = {{"settle_band", "5 %"}}},
              seed,
              {{"level.low", 0},
               {"level.high", 1},
               {"amplitude", 1},
               {"max", 1},
               {"min", 0},
               {"peak_to_peak", 1},
               {"rise_time", std::log(9) * tau},
               {"slew_rate.rise", 0.8 / (std::log(9) * tau)},
               {"settling_time", tau * (std::log(20) - std::log(2))},
               {"time.at(50%)", std::log(2) * tau},
               {"time.at(0.5V)", std::log(2) * tau},
               {"time.between(0.2V,0.7V)", tau * (std::log(1 / 0.3) - std::log(1 / 0.8))}});
}

Outcome falling_step(unsigned seed) {
  const double tau = 5e-6;
  return read({.start = -80e-6, .step = 0.1e-6, .columns = {{"v", [=](double t) { return t < 0 ? 1 : std::exp(-t / tau); }}}}, seed,
              {{"fall_time", std::log(9) * tau}, {"slew_rate.fall", 0.8 / (std::log(9) * tau)}});
}

/// What lies beyond the state that an edge comes from, ahead of it.
Outcome excursion_of(double size, unsigned seed) {
  const double tau = 5e-6;
  const auto f = [=](double t) {
    return t < 0 ? 1 + size * std::exp(-0.5 * std::pow((t + 12e-6) / 2e-6, 2)) : std::exp(-t / tau);
  };
  return read({.start = -80e-6, .step = 0.1e-6, .columns = {{"v", f}}}, seed, {{"undershoot", 100 * size}});
}
Outcome excursion_before(unsigned seed) { return excursion_of(0.06, seed); }
Outcome large_excursion_before(unsigned seed) { return excursion_of(0.3, seed); }

/// Each figure is the mean of four records.
Outcome repeated_step(unsigned seed) {
  const double tau = 5e-6;
  return read({.start = -80e-6, .step = 0.1e-6, .noise = 20e-3, .columns = {{"v", [=](double t) { return t < 0 ? 0 : 1 - std::exp(-t / tau); }}},
               .passes = 4},
              seed,
              {{"level.low", 0}, {"level.high", 1}, {"amplitude", 1}, {"rise_time", std::log(9) * tau}, {"time.at(50%)", std::log(2) * tau}});
}

/// The same, read off the mean of nine records.
Outcome averaged_step(unsigned seed) {
  const double tau = 5e-6;
  return read({.start = -80e-6, .step = 0.1e-6, .noise = 20e-3, .columns = {{"v", [=](double t) { return t < 0 ? 0 : 1 - std::exp(-t / tau); }}},
               .settings = {{"average", "on"}},
               .passes = 9},
              seed,
              {{"level.low", 0}, {"level.high", 1}, {"amplitude", 1}, {"rise_time", std::log(9) * tau}, {"time.at(50%)", std::log(2) * tau}});
}

Outcome ringing_step(unsigned seed) {
  const double zeta = 0.35, w = 2 * pi * 40e3, wd = w * std::sqrt(1 - zeta * zeta), over = std::exp(-pi * zeta / std::sqrt(1 - zeta * zeta));
  const auto f = [=](double t) {
    return t < 0 ? 0.2 : 0.2 + 3 * (1 - std::exp(-zeta * w * t) * (std::cos(wd * t) + zeta * w / wd * std::sin(wd * t)));
  };
  return read({.start = -60e-6, .step = 0.1e-6, .samples = 4000, .noise = 10e-3, .columns = {{"v", f}}}, seed,
              {{"overshoot", 100 * over}, {"max", 0.2 + 3 * (1 + over)}, {"amplitude", 3}, {"level.high", 3.2}});
}

Outcome pulse_train(unsigned seed) {
  const double period = 137.3e-6, width = 41.7e-6, edge = 3e-6, high = 5;
  const auto f = [=](double t) {
    const double local = std::fmod(t + 10 * period, period);
    return local < edge ? high * local / edge : local < width ? high : local < width + edge ? high * (1 - (local - width) / edge) : 0.0;
  };
  return read({.start = 0.21e-6, .step = 0.37e-6, .noise = 50e-3, .columns = {{"v", f}}}, seed,
              {{"period", period},
               {"frequency", 1 / period},
               {"width", width},
               {"duty", width / period},
               {"mean", high * width / period},
               {"fall_time", 0.8 * edge},
               {"rise_time", 0.8 * edge}});
}

Outcome double_exponential(unsigned seed) {
  const double slow = 40e-6, fast = 4e-6, a = 100, ohms = 50;
  const auto f = [=](double t) { return t < 0 ? 0.0 : a * (std::exp(-t / slow) - std::exp(-t / fast)); };
  const double top = std::log(slow / fast) * slow * fast / (slow - fast);
  const double left = where(f, f(top) / 2, 0, top), right = where([&](double t) { return -f(t); }, -f(top) / 2, top, 20 * slow);
  return read({.start = -20e-6, .step = 0.1e-6, .samples = 8000, .noise = 0.4, .columns = {{"v", f}}, .settings = {{"resistance", "50 ohm"}}}, seed,
              {{"pulse.peak", f(top)},
               {"pulse.fwhm", right - left},
               {"pulse.energy", a * a / ohms * (slow / 2 + fast / 2 - 2 * slow * fast / (slow + fast))},
               {"pulse.charge", a * (slow - fast) / ohms}});
}

/// A rail that dips as a squared sine does and comes back: half of the dip is passed a quarter of its length from either end.
Outcome dip(unsigned seed) {
  const double rail = 5, deep = 3, length = 160e-6;
  const auto f = [=](double t) { return t < 0 || t > length ? rail : rail - deep * std::pow(std::sin(pi * t / length), 2); };
  return read({.start = -300e-6, .step = 0.1e-6, .samples = 8000, .noise = 20e-3, .columns = {{"v", f}}}, seed, {{"pulse.peak", -deep}, {"pulse.fwhm", length / 2}});
}

Outcome decay(unsigned seed) {
  const double tau = 0.31, end = 0.2, fall = 4.3;
  const auto when = [=](double level) { return -tau * std::log((level - end) / fall); };
  return read({.start = 0, .step = 1e-4, .samples = 9000, .noise = 4e-3, .columns = {{"v", [=](double t) { return end + fall * std::exp(-t / tau); }}}},
              seed,
              {{"time_constant", tau}, {"time.at(2.7V,falling)", when(2.7)}, {"time.between(4V,2V)", when(2) - when(4)}});
}

Outcome two_sines(unsigned seed) {
  const double f = 1.7e3, lag = 23e-6;
  const auto in = [=](double t) { return 0.4 + 0.5 * std::sin(2 * pi * f * t - 0.7); };
  // Of (0.4 + 0.5 sin x)^2 from 1 ms to 1.1 ms.
  const double w = 2 * pi * f, a = w * 1e-3 - 0.7, b = w * 1.1e-3 - 0.7;
  const double squares = (0.16 + 0.125) * 0.1e-3 + (0.4 * (std::cos(a) - std::cos(b)) - 0.0625 * (std::sin(2 * b) - std::sin(2 * a))) / w;
  const auto out = [=](double t) { return 1.9 * std::sin(2 * pi * f * (t - lag) - 0.7); };
  return read({.start = 0, .step = 0.5e-6, .samples = 6000, .noise = 8e-3, .columns = {{"v_in", in}, {"v_out", out}}}, seed,
              {{"ratio.rms(v_out,v_in)", 3.8},
               {"ratio.peak_to_peak(v_out,v_in)", 3.8},
               {"v_in.rms.ac", 0.5 / std::sqrt(2)},
               {"v_out.rms", 1.9 / std::sqrt(2)},
               {"v_in.mean", 0.4},
               {"v_out.period", 1 / f},
               {"delay(v_in,v_out)", lag},
               {"v_in.level.at(1ms)", in(1e-3)},
               {"v_in.rms(1ms,1.1ms)", std::sqrt(squares / 0.1e-3)},
               {"v_in.mean(1ms,1.1ms)", 0.4 + 0.5 * (std::cos(2 * pi * f * 1e-3 - 0.7) - std::cos(2 * pi * f * 1.1e-3 - 0.7)) / (2 * pi * f * 0.1e-3)},
               {"v_in.integral(1ms,1.1ms)", 0.4 * 0.1e-3 + 0.5 * (std::cos(2 * pi * f * 1e-3 - 0.7) - std::cos(2 * pi * f * 1.1e-3 - 0.7)) / (2 * pi * f)}});
}

}  // namespace

std::vector<Experiment> waveform_files() {
  return {{"waveform", "record, one-pole step", one_pole_step, 400, 60},
          {"waveform", "record, falling step", falling_step, 400, 60},
          {"waveform", "record, excursion before an edge", excursion_before, 400, 0},
          {"waveform", "record, large excursion before an edge", large_excursion_before, 400, 0},
          {"waveform", "four records, one-pole step", repeated_step, 400, 60},
          {"waveform", "mean of nine records, one-pole step", averaged_step, 400, 60},
          {"waveform", "record, ringing step", ringing_step, 400, 60},
          {"waveform", "record, pulse train", pulse_train, 400, 60},
          {"waveform", "record, double exponential", double_exponential, 400, 60},
          {"waveform", "record, dip of a rail", dip, 400, 60},
          {"waveform", "record, decay", decay, 400, 60},
          {"waveform", "record, two sines", two_sines, 400, 60}};
}

}  // namespace heron::truth
