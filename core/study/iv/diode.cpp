#include "study/iv/diode.h"

#include <algorithm>
#include <cmath>

#include "signal/curve.h"
#include "signal/least_squares.h"

namespace heron::study::iv {
namespace {

constexpr double kBoltzmann = 1.380649e-23, kCharge = 1.602176634e-19;

/// Parameters: ln n, ln Is, Rs over a scale. Rs may pass through zero while it is looked for.
struct Misfit {
  std::vector<double> voltage, current, weight;
  double vt = 0, ohms = 1;

  double model(std::span<const double> p, double i) const {
    return std::exp(p[0]) * vt * std::log1p(i / std::exp(p[1])) + p[2] * ohms * i;
  }
  void operator()(std::span<const double> p, std::span<double> out) const {
    for (std::size_t k = 0; k < voltage.size(); ++k) out[k] = weight[k] * (voltage[k] - model(p, current[k]));
  }
  void slopes(std::span<const double> p, std::vector<std::vector<double>>& out) const {
    const double n = std::exp(p[0]), is = std::exp(p[1]);
    for (std::size_t k = 0; k < voltage.size(); ++k) {
      out[0][k] = -weight[k] * n * vt * std::log1p(current[k] / is);
      out[1][k] = weight[k] * n * vt * current[k] / (is + current[k]);
      out[2][k] = -weight[k] * ohms * current[k];
    }
  }
};

}  // namespace

double thermal_voltage(double temperature) { return kBoltzmann * temperature / kCharge; }

std::size_t before_plateau(const Sorted& curve) {
  constexpr double kSame = 1e-4, kScatter = 4, kMostScatter = 2e-3, kAsSteep = 0.5, kClear = 20;
  constexpr std::size_t kFewest = 3;
  const auto& v = curve.voltage;
  const auto& i = curve.current;
  const auto n = v.size();
  if (n < kFewest + 2) return n;
  // The longest stretch up to the end that stays level.
  double sum = 0, squares = 0;
  std::size_t first = n;
  for (std::size_t k = n; k-- > 0;) {
    const double m = double(n - k);
    const double mean = (sum + i[k]) / m;
    const double scatter = std::sqrt(std::max(0.0, (squares + i[k] * i[k]) / m - mean * mean));
    const double allowed = std::max(kSame * std::abs(mean), n - k > kFewest ? kScatter * scatter : 0.0);
    if (scatter > kMostScatter * std::abs(mean)) break;
    if (std::abs(i[k] - mean) > allowed) break;
    sum += i[k];
    squares += i[k] * i[k];
    first = k;
  }
  const auto count = n - first;
  if (first == 0 && squares / double(n) - std::pow(sum / double(n), 2) <= std::pow(kSame * sum / double(n), 2))
    return 1;
  if (count < kFewest || first < 2 || !(v[n - 1] > v[first])) return n;
  const double mean = sum / double(count);
  const double scatter =
      std::max(kSame / kScatter * std::abs(mean), std::sqrt(std::max(0.0, squares / double(count) - mean * mean)));
  // What rounds off by itself has lost its slope before it is level; a limit cuts in at once.
  const double steep = (i[first - 1] - i[first - 2]) / (v[first - 1] - v[first - 2]);
  const double before = first >= 3 ? (i[first - 2] - i[first - 3]) / (v[first - 2] - v[first - 3]) : steep;
  if (!(std::abs(steep) >= kAsSteep * std::abs(before))) return n;
  if (!(std::abs(steep) * (v[n - 1] - v[first]) > kClear * scatter)) return n;
  return first + 1;
}

namespace {

/// Neighbours averaged, so that a million points are fitted as fast as thousands. A block is far narrower than the bend
/// of any junction.
Sorted thinned(const Sorted& curve) {
  constexpr std::size_t kMost = 4000;
  const auto n = curve.voltage.size();
  if (n <= kMost) return curve;
  Sorted out;
  const auto block = (n + kMost / 2 - 1) / (kMost / 2);
  for (std::size_t from = 0; from < n; from += block) {
    const auto to = std::min(n, from + block);
    const double m = double(to - from);
    const auto mean = [&](const std::vector<double>& row) {
      double sum = 0;
      for (std::size_t k = from; k < to; ++k) sum += row[k];
      return sum / m;
    };
    out.voltage.push_back(mean(curve.voltage));
    out.current.push_back(mean(curve.current));
    if (!curve.certain()) continue;
    out.u_current.push_back(mean(curve.u_current) / std::sqrt(m));
    out.noise_voltage.push_back(mean(curve.noise_voltage) / std::sqrt(m));
    out.noise_current.push_back(mean(curve.noise_current) / std::sqrt(m));
  }
  return out;
}

}  // namespace

Result<Diode> fit_diode(const Sorted& whole, double temperature) {
  constexpr double kAboveNoise = 4;
  const auto curve = thinned(whole);
  const auto end = before_plateau(curve);
  const auto u_current = [&](std::size_t k) { return curve.certain() ? curve.u_current[k] : 0.0; };
  // A point that noise may have lifted above zero would be kept where its twin below is not: from the top down, what
  // stands clear of its uncertainty is kept, and nothing below the first that does not.
  std::size_t begin = end, drowned = 0;
  while (begin > 0 && curve.voltage[begin - 1] > 0 && curve.current[begin - 1] > kAboveNoise * u_current(begin - 1) &&
         curve.current[begin - 1] > 0)
    --begin;
  for (std::size_t k = 0; k < begin; ++k) drowned += curve.voltage[k] > 0 ? 1 : 0;
  if (end - begin < 5)
    return fail(Fault::input, "{}",
                drowned > 0 ? "noise leaves fewer than 5 points with a current above it"
                            : "at least 5 points with a current above zero are needed");
  Misfit misfit{.voltage = {}, .current = {}, .weight = {}, .vt = thermal_voltage(temperature)};
  bool weighted = curve.certain();
  for (std::size_t k = begin; k < end; ++k) {
    misfit.voltage.push_back(curve.voltage[k]);
    misfit.current.push_back(curve.current[k]);
    double u = 0;
    if (curve.certain()) {
      const auto before = k > begin ? k - 1 : k, after = std::min(k + 1, end - 1);
      const double rise = curve.current[after] - curve.current[before];
      const double slope = rise > 0 ? (curve.voltage[after] - curve.voltage[before]) / rise : 0;
      u = std::hypot(curve.noise_voltage[k], slope * u_current(k));
    }
    weighted = weighted && u > 0;
    misfit.weight.push_back(u > 0 ? 1 / u : 1);
  }
  if (!weighted) misfit.weight.assign(misfit.weight.size(), 1);
  const double highest = *std::max_element(misfit.current.begin(), misfit.current.end()),
               lowest = *std::min_element(misfit.current.begin(), misfit.current.end());
  if (!(highest > lowest * (1 + 1e-9))) return fail(Fault::input, "all points have one current");
  misfit.ohms = std::max(1e-9, (misfit.voltage.back() - misfit.voltage.front()) / highest);

  // The lower half of the points, where a series resistance matters least, gives n and Is to begin with.
  std::vector<double> logs, volts;
  for (std::size_t k = 0; k < std::max<std::size_t>(3, misfit.voltage.size() / 2); ++k) {
    logs.push_back(std::log(misfit.current[k]));
    volts.push_back(misfit.voltage[k]);
  }
  const auto line = signal::fit_line(logs, volts);
  const auto nearest = [&](const std::vector<double>& start) {
    return signal::least_squares({.count = misfit.voltage.size(), .of = std::cref(misfit), .slopes = [&](auto p, auto& out) { misfit.slopes(p, out); }}, start,
                                 {.parameters = 1e-14, .squares = 1e-16, .most = 1000});
  };
  std::optional<signal::LeastSquares> best;
  for (const double ideality : {line && line->slope > 0 ? line->slope / misfit.vt : 1.0, 1.0, 2.0}) {
    const double n = std::clamp(ideality, 0.3, 100.0);
    const double is = std::clamp(misfit.current[0] / std::expm1(std::min(600.0, misfit.voltage[0] / (n * misfit.vt))),
                                 1e-40, highest);
    auto found = nearest({std::log(n), std::log(is), 0});
    if (found && (!best || found->squares < best->squares)) best = std::move(found);
  }
  if (best && weighted) {
    // What an error of the current is worth in voltage is told better by the junction's curve than by two neighbours.
    const double n = std::exp(best->of[0]), is = std::exp(best->of[1]), ohms = best->of[2] * misfit.ohms;
    for (std::size_t k = begin; k < end; ++k) {
      const double slope = n * misfit.vt / (std::abs(curve.current[k]) + is) + std::max(0.0, ohms);
      misfit.weight[k - begin] = 1 / std::hypot(curve.noise_voltage[k], slope * u_current(k));
    }
    if (auto again = nearest(best->of)) best = std::move(again);
  }
  const auto untold = fail(Fault::input,
                           "n and the saturation current cannot be told from these points: they lie on a line as well "
                           "as on a junction's curve");
  if (!best || best->each.empty()) return untold;
  const double scatter = std::sqrt(best->squares / std::max(1.0, double(misfit.voltage.size()) - 3));
  const double n = std::exp(best->of[0]), is = std::exp(best->of[1]);
  // A bend that is no larger than what a straight line misses too tells nothing of a junction.
  const double bend =
      n * misfit.vt * (std::log1p(highest / is) - std::log1p(lowest / is) - (highest - lowest) / (is + highest));
  double squares = 0;
  for (std::size_t k = 0; k < misfit.voltage.size(); ++k)
    squares += std::pow(misfit.voltage[k] - misfit.model(best->of, misfit.current[k]), 2);
  const double rms = std::sqrt(squares / double(misfit.voltage.size()));
  if (!(n > 0.2 && n < 50) || !(is > 1e-38) || !(is < highest) || !(bend > 3 * rms) || !(bend > 0.2 * misfit.vt) ||
      scatter * best->each[0] > 0.3 || scatter * best->each[1] > 3)
    return untold;
  return Diode{.ideality = n,
               .saturation_current = is,
               .series_resistance = best->of[2] * misfit.ohms,
               .residual = rms,
               .lowest = lowest,
               .highest = highest,
               .drowned = drowned};
}

}  // namespace heron::study::iv
