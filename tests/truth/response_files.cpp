#include <algorithm>
#include <random>

#include "study/response/kind.h"
#include "truth/models.h"
#include "truth/truth.h"

namespace heron::truth {
namespace {

using study::Channel;
using study::Point;
using study::Record;

Channel column(std::string role, std::string unit, std::vector<double> numbers) {
  Channel out{.role = std::move(role), .unit = std::move(unit)};
  out.numbers = std::move(numbers);
  return out;
}

study::Reading read(Record record, const study::SettingsText& settings, const std::vector<std::string>& asked) {
  const auto analysis = study::response::kind().analyse({Point{.setting = nlohmann::json::object(), .records = {record}}},
                                                        settings, asked);
  return analysis ? analysis->reading : study::Reading{};
}

std::vector<std::string> keys(const std::map<std::string, double>& truth) {
  std::vector<std::string> out;
  for (const auto& [key, value] : truth) out.push_back(key);
  return out;
}

constexpr double kRate = 20e3;

/// Two poles and two zeros in z; H(f) is exact.
struct Biquad {
  double b0, b1, b2, a1, a2;

  Complex operator()(double f) const {
    const Complex z = std::polar(1.0, -2 * kPi * f / kRate);
    return (b0 + z * (b1 + z * b2)) / (1.0 + z * (a1 + z * a2));
  }
  std::vector<double> run(const std::vector<double>& x) const {
    std::vector<double> y(x.size());
    double x1 = 0, x2 = 0, y1 = 0, y2 = 0;
    for (std::size_t k = 0; k < x.size(); ++k) {
      y[k] = b0 * x[k] + b1 * x1 + b2 * x2 - a1 * y1 - a2 * y2;
      x2 = x1;
      x1 = x[k];
      y2 = y1;
      y1 = y[k];
    }
    return y;
  }
};

constexpr Biquad kFlat{0.95, 0, 0, 0, 0};
/// A resonance near 2.2 kHz, 8 dB over the floor.
constexpr Biquad kResonance{0.30, -0.18, 0.12, -1.40, 0.90};
/// One pole near 1.2 kHz.
constexpr Biquad kLowPass{0.32, 0, 0, -0.68, 0};

Outcome from_noise(const Biquad& filter, double noise, std::size_t samples, unsigned seed,
                   const study::SettingsText& settings, std::map<std::string, double> truth) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  // What rings in the filter before the record begins is part of a steady state.
  std::vector<double> x(samples + 2000);
  for (auto& v : x) v = normal(random);
  auto y = filter.run(x);
  x.erase(x.begin(), x.begin() + 2000);
  y.erase(y.begin(), y.begin() + 2000);
  std::vector<double> time(samples);
  for (std::size_t k = 0; k < samples; ++k) {
    time[k] = double(k) / kRate;
    y[k] += noise * normal(random);
  }
  Record record;
  record.channels = {column("time", "s", std::move(time)), column("stimulus", "V", std::move(x)),
                     column("response", "V", std::move(y))};
  auto all = settings;
  all["method"] = "noise";
  const auto asked = keys(truth);
  return {read(std::move(record), all, asked), std::move(truth)};
}

double coherence_of(const Biquad& filter, double noise, double f) {
  const double s = std::norm(filter(f));
  return s / (s + noise * noise);
}

std::map<std::string, double> resonance_truth() {
  const Answer h = kResonance;
  const double peak = extreme(h, 1500, 3200, 1), top = db_of(h, peak);
  const auto fall = [&](double f) { return db_of(h, f) - (top - kHalfPower); };
  const double low = root(fall, 1000, peak), high = root(fall, peak, 6000);
  std::map<std::string, double> out = {{"peak.frequency", peak},
                                       {"peak.gain", top},
                                       {"gain.reference", top},
                                       {"corner.low", low},
                                       {"corner.high", high},
                                       {"bandwidth", high - low},
                                       {"centre", std::sqrt(low * high)},
                                       {"q", std::sqrt(low * high) / (high - low)},
                                       {"gain@1.5kHz", db_of(h, 1500)},
                                       {"phase@1.5kHz", std::arg(h(1500)) * 180 / kPi},
                                       {"coherence.min(500,4000)", coherence_of(kResonance, 0.4, 4000)}};
  for (double f = 500; f < 4000; f *= 1.01)
    out["coherence.min(500,4000)"] = std::min(out["coherence.min(500,4000)"], coherence_of(kResonance, 0.4, f));
  return out;
}

/// A table of H over lg f with noise of a known size, told or not.
struct TableSpec {
  Answer h;
  double from, to;
  int points;
  double u_db;
  bool told = true, impedance = false;
};

Outcome from_table(const TableSpec& spec, unsigned seed, const study::SettingsText& settings,
                   const std::function<std::map<std::string, double>(const std::vector<double>&)>& truth_of) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  const double degrees = spec.u_db / (20 / std::numbers::ln10) * 180 / kPi;
  // Where the points lie against the curve is a matter of chance too.
  const double shift = std::uniform_real_distribution<double>(0, 1)(random);
  std::vector<double> f, gain, phase;
  for (int k = 0; k < spec.points; ++k) {
    f.push_back(spec.from * std::pow(spec.to / spec.from, (k + shift) / spec.points));
    const Complex h = spec.h(f.back());
    gain.push_back(20 * std::log10(std::abs(h)) + spec.u_db * normal(random));
    phase.push_back(std::arg(h) * 180 / kPi + degrees * normal(random));
  }
  auto truth = truth_of(f);
  Record record;
  record.channels = {column("frequency", "Hz", f), column("gain", "dB", std::move(gain)),
                     column("phase", "deg", std::move(phase))};
  if (spec.told) {
    record.channels.push_back(column("u_gain", "dB", std::vector<double>(f.size(), spec.u_db)));
    record.channels.push_back(column("u_phase", "deg", std::vector<double>(f.size(), degrees)));
  }
  auto all = settings;
  if (spec.impedance) all["quantity"] = "impedance";
  const auto asked = keys(truth);
  return {read(std::move(record), all, asked), std::move(truth)};
}

const Answer kBand = [](double f) { return 4.0 / ((1.0 + 120.0 / Complex(0, f)) * Complex(1, f / 9.5e3)); };
const Answer kLoop = [](double f) { return 700.0 / (Complex(1, f / 25) * Complex(1, f / 2.1e4) * Complex(1, f / 6e4)); };
const Answer kNotch = [](double f) {
  const double r = f / 1.31e3;
  return Complex(1 - r * r, 0.05 * r) / Complex(1 - r * r, 1.1 * r);
};
const Answer kPeak = [](double f) {
  const double r = f / 2.3e3;
  return 1.0 / Complex(1 - r * r, r / 3.2);
};

std::map<std::string, double> band_truth(const std::vector<double>&) {
  const double top = extreme(kBand, 300, 4000, 1);
  const auto fall = [&](double f) { return db_of(kBand, f) - (db_of(kBand, top) - kHalfPower); };
  const double low = root(fall, 20, top), high = root(fall, top, 80e3);
  return {{"gain.reference", db_of(kBand, top)}, {"corner.low", low},
          {"corner.high", high},                 {"bandwidth", high - low},
          {"centre", std::sqrt(low * high)},     {"q", std::sqrt(low * high) / (high - low)},
          {"peak.frequency", top},               {"peak.gain", db_of(kBand, top)},
          {"gain@1kHz", db_of(kBand, 1000)},     {"phase@1kHz", std::arg(kBand(1000)) * 180 / kPi},
          {"ripple(400,4000)", [&] {
             double least = 1e9, most = -1e9;
             for (double f = 400; f <= 4000; f *= 1.001) {
               least = std::min(least, db_of(kBand, f));
               most = std::max(most, db_of(kBand, f));
             }
             return most - least;
           }()}};
}

std::map<std::string, double> loop_truth(const std::vector<double>& f) {
  const auto phase = [](double at) {
    return -(std::atan(at / 25) + std::atan(at / 2.1e4) + std::atan(at / 6e4)) * 180 / kPi;
  };
  const double cross = root([](double at) { return db_of(kLoop, at); }, 1e3, 1e5),
               turn = root([&](double at) { return phase(at) + 180; }, 1e4, 9e5);
  // As it is defined: over the two points either side.
  const auto above = std::upper_bound(f.begin(), f.end(), 5e3);
  const double a = *(above - 1), b = *above;
  std::vector<double> x, y;
  for (const double at : f)
    if (at > 200 && at < 5e3) {
      x.push_back(std::log10(at));
      y.push_back(db_of(kLoop, at));
    }
  for (const double at : {200.0, 5e3}) {
    x.push_back(std::log10(at));
    y.push_back(db_of(kLoop, at));
  }
  return {{"crossover.gain", cross},
          {"margin.phase", 180 + phase(cross)},
          {"crossover.phase", turn},
          {"margin.gain", -db_of(kLoop, turn)},
          {"slope(200,5k)", line(x, y).first},
          {"delay.group@5k", -(phase(b) - phase(a)) / 360 / (b - a)}};
}

std::map<std::string, double> notch_truth(const std::vector<double>&) {
  const double at = extreme(kNotch, 1e3, 1.7e3, -1);
  return {{"notch.frequency", at}, {"gain@1.2kHz", db_of(kNotch, 1200)}};
}

std::map<std::string, double> peak_truth(const std::vector<double>&) {
  const double at = extreme(kPeak, 1.5e3, 3e3, 1);
  return {{"peak.frequency", at}, {"peak.gain", db_of(kPeak, at)}};
}

/// A part: a resistance beside a capacitance, in series with an inductance.
constexpr double kR = 820, kC = 33e-9, kL = 2.7e-3, kLoss = 6;
const Answer kPart = [](double f) {
  const Complex jw(0, 2 * kPi * f);
  return kLoss + jw * kL + 1.0 / (1 / kR + jw * kC);
};
std::map<std::string, double> part_truth(const std::vector<double>&) {
  const double f = 2e3, w = 2 * kPi * f;
  const Complex z = kPart(f), y = 1.0 / z;
  const double zero = root([](double at) { return kPart(at).imag(); }, 2e3, 60e3);
  return {{"impedance@2k", std::abs(z)},
          {"angle@2k", std::arg(z) * 180 / kPi},
          {"resistance.series@2k", z.real()},
          {"reactance.series@2k", z.imag()},
          {"capacitance.series@2k", -1 / (w * z.imag())},
          {"resistance.parallel@2k", 1 / y.real()},
          {"capacitance.parallel@2k", y.imag() / w},
          {"q@2k", std::abs(z.imag()) / z.real()},
          {"dissipation@2k", z.real() / std::abs(z.imag())},
          {"inductance.series@60k", kPart(60e3).imag() / (2 * kPi * 60e3)},
          {"inductance.parallel@60k", -1 / (2 * kPi * 60e3 * (1.0 / kPart(60e3)).imag())},
          {"resonance.frequency", zero},
          {"resonance.series", zero},
          {"resonance.impedance", kPart(zero).real()}};
}

}  // namespace

std::vector<Experiment> response_files() {
  const auto noise = [](const char* name, const Biquad& filter, double sigma, std::size_t samples,
                        study::SettingsText settings, std::map<std::string, double> truth) {
    return Experiment{"response", name, [=](unsigned seed) {
                        return from_noise(filter, sigma, samples, seed, settings, truth);
                      }, 200, samples > 8192 ? 12 : 40};
  };
  const auto table = [](const char* name, TableSpec spec, auto truth_of) {
    return Experiment{"response", name, [=](unsigned seed) { return from_table(spec, seed, {}, truth_of); }, 200,
                      spec.told ? 20 : 0};
  };
  const double flat = 20 * std::log10(0.95);
  const Answer low = kLowPass;
  const auto slope_of = [&](double spacing) {
    std::vector<double> x, y;
    for (double f = 2000; f <= 6000.1; f += spacing) {
      x.push_back(std::log10(f));
      y.push_back(db_of(low, f));
    }
    return line(x, y).first;
  };
  // The reference of a low-pass is its first line.
  const double first = kRate / 1024;
  const double corner = root([&](double f) { return db_of(low, f) - (db_of(low, first) - kHalfPower); }, 300, 4000);
  return {
      noise("noise, flat, 32 averages", kFlat, 0.25, 32768, {{"reference", "max"}},
            {{"gain.reference", flat}, {"ripple(500,7000)", 0}, {"gain@3kHz", flat}, {"phase@3kHz", 0},
             {"coherence.min(500,7000)", coherence_of(kFlat, 0.25, 1000)}}),
      noise("noise, resonance, 64 averages", kResonance, 0.4, 32768, {{"segment", "1024"}}, resonance_truth()),
      noise("noise, low-pass, flat-top window", kLowPass, 0.04, 32768, {{"segment", "1024"}, {"window", "flat_top"}},
            {{"corner.high", corner}, {"slope(2000,6000)", slope_of(kRate / 1024)}, {"gain@1kHz", db_of(low, 1000)}}),
      noise("noise, low-pass, Hann window", kLowPass, 0.04, 32768, {{"segment", "1024"}},
            {{"corner.high", corner}, {"slope(2000,6000)", slope_of(kRate / 1024)},
             {"delay.group@1k",
              -(std::arg(low(52 * kRate / 1024)) - std::arg(low(51 * kRate / 1024))) / 2 / kPi / (kRate / 1024)}}),
      noise("noise, flat, three averages", kFlat, 0.25, 3 * 1024, {{"segment", "1024"}, {"overlap", "0"}},
            {{"gain@3kHz", flat}, {"phase@3kHz", 0}}),
      table("table, band-pass, u told", {kBand, 10, 100e3, 81, 0.02}, band_truth),
      often(table("table, band-pass, by its scatter", {kBand, 10, 100e3, 161, 0.02, false}, band_truth)),
      table("table, loop, u told", {kLoop, 5, 1e6, 90, 0.03}, loop_truth),
      table("table, loop, by its scatter", {kLoop, 5, 1e6, 180, 0.03, false}, loop_truth),
      often(table("table, notch, u told", {kNotch, 100, 20e3, 120, 0.02}, notch_truth)),
      often(table("table, peak, u told", {kPeak, 200, 20e3, 60, 0.01}, peak_truth)),
      often(table("table, impedance, u told", {kPart, 200, 100e3, 81, 0.01, true, true}, part_truth)),
      table("table, impedance, by its scatter", {kPart, 200, 100e3, 161, 0.01, false, true}, part_truth)};
}

}  // namespace heron::truth
