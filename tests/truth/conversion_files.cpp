#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/conversion/kind.h"
#include "truth/truth.h"

namespace heron::truth {
namespace converts {
namespace {

double within(std::mt19937_64& random, double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; }

struct Point {
  double vin, vout, iout;
  double loss;
};

/// Points read with a noise of their own and gains and zeros that all share.
Outcome read_table(const std::vector<Point>& points, std::mt19937_64& random, const study::SettingsText& settings, std::map<std::string, double> truth) {
  constexpr double kOwn[] = {2e-4, 3e-4, 2e-4, 3e-4}, kGain[] = {3e-4, 1e-3, 3e-4, 8e-4}, kZero[] = {1e-3, 1e-4, 5e-4, 1e-4};
  constexpr const char* kRoles[] = {"vin", "iin", "vout", "iout"};
  study::Record record;
  for (int p = 0; p < 4; ++p) {
    const double gain = kGain[p] * normal_deviate(random), zero = kZero[p] * normal_deviate(random);
    study::Channel c{.role = kRoles[p], .unit = p % 2 ? "A" : "V"}, u{.role = std::string("u_") + kRoles[p], .unit = c.unit}, by_gain{.role = u.role + "_shared_" + std::to_string(2 * p + 1), .unit = c.unit},
        by_zero{.role = u.role + "_shared_" + std::to_string(2 * p + 2), .unit = c.unit};
    for (const auto& one : points) {
      const double iin = (one.vout * one.iout + one.loss) / one.vin, is = p == 0 ? one.vin : p == 1 ? iin : p == 2 ? one.vout : one.iout;
      const double own = kOwn[p] * std::max(std::abs(is), 0.05);
      c.numbers.push_back(is * (1 + gain) + zero + own * normal_deviate(random));
      by_gain.numbers.push_back(kGain[p] * is);
      by_zero.numbers.push_back(kZero[p]);
      u.numbers.push_back(std::sqrt(own * own + std::pow(kGain[p] * is, 2) + std::pow(kZero[p], 2)));
    }
    for (auto* one : {&c, &u, &by_gain, &by_zero}) record.channels.push_back(std::move(*one));
  }
  study::Channel line{.role = "line", .unit = "V"}, load{.role = "load", .unit = "A"};
  for (const auto& one : points) {
    line.numbers.push_back(one.vin);
    load.numbers.push_back(one.iout);
  }
  record.channels.push_back(line);
  record.channels.push_back(load);
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  point.records.push_back(std::move(record));
  std::vector<std::string> asked;
  for (const auto& [key, value] : truth) asked.push_back(key);
  const auto analysis = study::conversion::kind().analyse({point}, settings, asked);
  return {analysis ? analysis->reading : study::Reading{}, std::move(truth)};
}

/// A switching converter: a fixed, a proportional and a square-law loss.
Outcome converter(unsigned seed) {
  std::mt19937_64 random(seed);
  const double a = within(random, 0.2, 0.3), b = within(random, 0.1, 0.2), c = within(random, 0.05, 0.08), vin = within(random, 9, 15), drop = 0.06;
  const auto vout = [&](double i) { return 5 - drop * i; };
  const auto loss = [&](double i) { return a + b * i + c * i * i; };
  std::vector<Point> points;
  const std::vector<double> loads = {0, 0.25, 0.5, 0.75, 1, 1.25, 1.5, 1.75, 2, 2.25, 2.5, 2.75, 3};
  for (const double i : loads) points.push_back({vin, vout(i), i, loss(i)});
  const auto efficiency = [&](double i) { return vout(i) * i / (vout(i) * i + loss(i)); };
  // The vertex through the top three points is the definition.
  std::size_t top = 1;
  for (std::size_t k = 1; k + 1 < loads.size(); ++k)
    if (efficiency(loads[k]) > efficiency(loads[top])) top = k;
  const double h = loads[1] - loads[0], before = efficiency(loads[top - 1]), at = efficiency(loads[top]), after = efficiency(loads[top + 1]);
  const double bend = before - 2 * at + after, lean = (after - before) / 2;
  return read_table(points, random, {{"nominal", "5 V"}},
                    {{"efficiency@1A", efficiency(1)},
                     {"efficiency@3A", efficiency(3)},
                     {"loss@2A", loss(2)},
                     {"loss@500mA", loss(0.5)},
                     {"efficiency.max", at - lean * lean / (2 * bend)},
                     {"efficiency.max.at", loads[top] - h * lean / bend},
                     {"power.idle", a},
                     {"loss.fixed", a},
                     {"loss.linear", b},
                     {"loss.square", c},
                     {"regulation.load", -drop * 3},
                     {"regulation.load.percent", -100 * drop * 3 / 5},
                     {"accuracy.output", -100 * drop * 3 / 5}});
}

/// A regulator with line and load rejection and a dropout.
Outcome regulator(unsigned seed) {
  std::mt19937_64 random(seed);
  const double line = within(random, 2e-3, 5e-3), load = within(random, 0.03, 0.06), drop = within(random, 0.7, 0.9);
  const auto vout = [&](double v, double i) { return std::min(3.3 + line * (v - 5) - load * i, v - drop * i); };
  std::vector<Point> points;
  for (const double v : {3.2, 3.25, 3.3, 3.35, 3.4, 3.45, 3.5, 3.55, 4.0, 5.0, 6.5, 8.0})
    for (const double i : {0.05, 0.1, 0.2}) points.push_back({v, vout(v, i), i, (v - vout(v, i)) * i});
  return read_table(points, random, {{"nominal", "3.3 V"}}, {{"dropout@200mA", drop * 0.2}, {"dropout@100mA", drop * 0.1}});
}

/// The same above its dropout.
Outcome regulating(unsigned seed) {
  std::mt19937_64 random(seed);
  const double line = within(random, 2e-3, 5e-3), load = within(random, 0.03, 0.06);
  std::vector<Point> points;
  for (const double v : {4.0, 6.0, 8.0})
    for (const double i : {0.05, 0.1, 0.2}) {
      const double vout = 3.3 + line * (v - 6) - load * i;
      points.push_back({v, vout, i, (v - vout) * i});
    }
  // One load over all lines, one line over all loads: of several equal ones the largest would be taken.
  return read_table({points[0], points[3], points[6], points[1], points[2]}, random, {}, {{"regulation.line", 4 * line}, {"regulation.line.percent", 100 * 4 * line / (3.3 - load * 0.05)}, {"regulation.line.percent_per_volt", 100 * line / (3.3 - load * 0.05)}, {"regulation.load", -load * 0.15}});
}

struct Signal {
  const char *role, *unit;
  std::function<double(double)> of;
  double noise;
};
Outcome read_record(const std::vector<Signal>& given, std::size_t samples, double rate, std::mt19937_64& random, std::map<std::string, double> truth) {
  study::Record record{.sample_rate = rate};
  for (const auto& g : given) {
    study::Channel c{.role = g.role, .unit = g.unit};
    for (std::size_t k = 0; k < samples; ++k) c.numbers.push_back(g.of(double(k) / rate) + g.noise * normal_deviate(random));
    record.channels.push_back(std::move(c));
  }
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  point.records.push_back(std::move(record));
  const auto analysis = study::conversion::kind().analyse({point}, {}, {});
  return {analysis ? analysis->reading : study::Reading{}, std::move(truth)};
}

/// A line that steps, so many and a part of plateaus, with settling tails.
Outcome line_steps(unsigned seed) {
  std::mt19937_64 random(seed);
  const double half = within(random, 0.9e-3, 1.1e-3), shift = within(random, 0, 2e-3), tau = 40e-6, slope = 4e-3, rate = 500e3;
  const auto phase = [=](double t) { return std::fmod(t + shift, 2 * half); };
  const auto settled = [=](double t) {
    const double p = phase(t), since = std::fmod(p, half), sign = p >= half ? 1 : -1;
    return sign * (1 - 2 * std::exp(-since / tau));
  };
  const auto vin = [=](double t) { return 6.5 + 1.5 * settled(t); };
  const auto vout = [=](double t) { return 3.3 + slope * 1.5 * settled(t); };
  return read_record({{"vin", "V", vin, 2e-3}, {"vout", "V", vout, 0.4e-3}, {"iin", "A", [](double) { return 0.11; }, 1e-5}, {"iout", "A", [](double) { return 0.1; }, 1e-5}}, 6000, rate, random,
                     {{"regulation.line", 3 * slope}, {"regulation.line.percent_per_volt", 100 * slope / 3.3}});
}

/// A load that steps: the output dips and comes back on one exponential.
Outcome load_step(unsigned seed) {
  std::mt19937_64 random(seed);
  const double dip = within(random, 0.2, 0.3), tau = within(random, 80e-6, 120e-6), rate = 1e6, half = 2e-3, at = half + within(random, 0, 1e-6);
  const auto iout = [=](double t) { return std::fmod(t - at + 2 * half, 2 * half) < half ? 1.0 : 0.1; };
  const auto vout = [=](double t) {
    const double since = std::fmod(t - at + 2 * half, 2 * half);
    const bool high = since < half;
    const double decay = std::fmod(since, half), rise = 1 - std::exp(-decay / 8e-6);
    return 5 + (high ? -1 : 0.5) * dip * rise * std::exp(-decay / tau);
  };
  double deepest = 0;
  for (double d = 0; d < half; d += 1e-8) deepest = std::max(deepest, dip * (1 - std::exp(-d / 8e-6)) * std::exp(-d / tau));
  double back = 0;
  for (double d = half; d > 0; d -= 1e-8)
    if (dip * (1 - std::exp(-d / 8e-6)) * std::exp(-d / tau) > 0.05) {
      back = d;
      break;
    }
  return read_record({{"vout", "V", vout, 1e-3}, {"iout", "A", iout, 1e-3}}, 8000, rate, random, {{"transient.dip", deepest}, {"transient.overshoot", deepest / 2}, {"transient.recovery", back}});
}

/// A triangle without corners: a sine with its third.
Outcome ripple(unsigned seed) {
  std::mt19937_64 random(seed);
  const double start = within(random, 0, 1), f = within(random, 18e3, 22e3), size = within(random, 8e-3, 12e-3);
  const auto vout = [=](double t) { return 5 + size / 2 * std::sin(2 * std::numbers::pi * (f * t + start)); };
  return read_record({{"vin", "V", [](double) { return 12; }, 1e-3}, {"vout", "V", vout, 0.3e-3}}, 4000, 4e6, random, {{"ripple", size}});
}

}  // namespace
}  // namespace converts

std::vector<Experiment> conversion_files() {
  using namespace converts;
  return {{"conversion", "a converter's table", converter, 400, 40},
          {"conversion", "a regulator's table to its dropout", regulator, 400, 30},
          {"conversion", "a regulator's table", regulating, 400, 30},
          {"conversion", "a record with steps of the line", line_steps, 400, 20},
          {"conversion", "a record with steps of the load", load_step, 400, 20},
          {"conversion", "a record of ripple", ripple, 400, 20}};
}

}  // namespace heron::truth
