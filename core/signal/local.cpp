#include "signal/local.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <vector>

namespace heron::signal {
namespace {

/// c + b t + a t^2 by least squares, t in samples from the middle, with the covariance for noise of 1.
struct LocalParabola {
  Eigen::Vector3d of;          ///< c, b, a
  Eigen::Matrix3d covariance;
  double residual = 0;         ///< standard deviation

  double at(double t) const { return of[0] + t * (of[1] + t * of[2]); }
  double u_at(double t) const {
    const Eigen::Vector3d v(1, t, t * t);
    return std::sqrt(std::max(0.0, v.dot(covariance * v)));
  }
};

std::optional<LocalParabola> parabola(std::span<const double> values, std::size_t first, std::size_t last, double middle,
                                 std::optional<std::size_t> leave_out = {}) {
  Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
  Eigen::Vector3d r = Eigen::Vector3d::Zero();
  int n = 0;
  for (auto k = first; k <= last; ++k) {
    if (leave_out == k) continue;
    const double t = double(k) - middle;
    const Eigen::Vector3d v(1, t, t * t);
    m += v * v.transpose();
    r += v * values[k];
    ++n;
  }
  if (n < 3) return std::nullopt;
  const Eigen::LDLT<Eigen::Matrix3d> solver(m);
  LocalParabola out{solver.solve(r), solver.solve(Eigen::Matrix3d::Identity())};
  double squares = 0;
  for (auto k = first; k <= last; ++k)
    if (leave_out != k) squares += std::pow(values[k] - out.at(double(k) - middle), 2);
  out.residual = n > 3 ? std::sqrt(squares / (n - 3)) : 0;
  return out;
}

/// Value, place and their uncertainties at the turn of the polynomial of fourth degree through the samples around one
/// that is left out.
///
/// A parabola that is as wide as noise lets it be flattens the top that it is laid through, by about as much as it is
/// known to. Two more terms bend with the top; what they cost is a little more noise.
std::optional<Local> quartic_turn(std::span<const double> values, std::size_t first, std::size_t last, std::size_t at,
                                  double from, double noise, Towards which) {
  constexpr int kTerms = 5;
  if (last - first + 2 < 2 * kTerms) return std::nullopt;
  using Terms = Eigen::Matrix<double, kTerms, 1>;
  using Square = Eigen::Matrix<double, kTerms, kTerms>;
  const double half = double(std::max(at - first, last - at));
  const auto powers = [](double t) { return Terms(1, t, t * t, t * t * t, t * t * t * t); };
  const auto scaled = [&](std::size_t k) { return (double(k) - double(at)) / half; };
  Square m = Square::Zero();
  Terms r = Terms::Zero();
  for (auto k = first; k <= last; ++k) {
    if (k == at) continue;
    const Terms v = powers(scaled(k));
    m += v * v.transpose();
    r += v * values[k];
  }
  const Eigen::LDLT<Square> solver(m);
  const Terms of = solver.solve(r);
  const Square covariance = solver.solve(Square::Identity());
  const auto slope = [&](double t) { return of[1] + t * (2 * of[2] + t * (3 * of[3] + t * 4 * of[4])); };
  const auto bend = [&](double t) { return 2 * of[2] + t * (6 * of[3] + t * 12 * of[4]); };
  double t = (from - double(at)) / half;
  constexpr int kSteps = 20;
  for (int k = 0; k < kSteps; ++k) t -= bend(t) != 0 ? slope(t) / bend(t) : 0;
  const bool bent = which == Towards::high ? bend(t) < 0 : bend(t) > 0;
  if (!(std::abs(t) <= 1) || !bent || std::abs(slope(t)) > 1e-9 * std::abs(bend(t))) return std::nullopt;
  const Terms v = powers(t), rate(0, 1, 2 * t, 3 * t * t, 4 * t * t * t);
  const auto u_along = [&](const Terms& w) { return noise * std::sqrt(std::max(0.0, w.dot(covariance * w))); };
  return Local{.place = double(at) + t * half,
               .value = of.dot(v),
               .u_value = u_along(v),
               .u_place = half * u_along(rate) / std::abs(bend(t))};
}

}  // namespace

double noise_of(std::span<const double> values) {
  if (values.size() < 8) return 0;
  // The variance of x[i-1] - 2 x[i] + x[i+1] of white noise is six times its own.
  constexpr std::size_t kStretch = 16;
  constexpr double kSix = 6;
  std::vector<double> squares;
  const std::size_t each = std::max<std::size_t>(kStretch, values.size() / 4096);
  for (std::size_t from = 0; from + 2 < values.size(); from += each) {
    const auto to = std::min(from + kStretch, values.size());
    if (to - from < 6) break;
    double sum = 0;
    for (auto k = from + 1; k + 1 < to; ++k) sum += std::pow(values[k - 1] - 2 * values[k] + values[k + 1], 2);
    squares.push_back(sum / double(to - from - 2) / kSix);
  }
  if (squares.empty()) return 0;
  // The quieter half: where the waveform itself bends, the differences are its own.
  const auto half = (squares.size() + 1) / 2;
  std::nth_element(squares.begin(), squares.begin() + std::ptrdiff_t(half - 1), squares.end());
  double sum = 0;
  for (std::size_t k = 0; k < half; ++k) sum += squares[k];
  // Of values that spread as means of 14 such squares do, the lower half has a mean of 0.609 of theirs.
  constexpr double kLowerHalf = 0.609;
  return std::sqrt(sum / double(half) / (squares.size() > 3 ? kLowerHalf : 1));
}

Local extreme_near(std::span<const double> values, std::size_t at, double noise, Towards which) {
  const auto n = values.size();
  Local plain{.place = double(at), .value = values[at], .u_value = noise, .u_place = 0.5};
  Local best = plain;
  constexpr int kChances = 3;
  constexpr double kFarOut = 7;  // sigmas: of 2^40 samples one lies so far out by noise
  int failed = 0;
  std::optional<std::pair<std::size_t, std::size_t>> turning;
  // As wide as the samples look like a parabola; each try twice as wide as the last.
  for (std::size_t half = 1; half <= n; half *= 2) {
    const auto first = at >= half ? at - half : 0, last = std::min(at + half, n - 1);
    const double middle = double(at);
    const bool spare = last - first > 3, triple = !spare;
    const auto fit = parabola(values, first, last, middle, spare ? std::optional(at) : std::nullopt);
    if (!fit) continue;
    const auto count = double(last - first + 1);
    // Chi square of so many samples, at one and a half sigmas: a parabola that is stretched too far leaves little more.
    const double most = noise * std::sqrt(1 + 1.5 * std::sqrt(2 / std::max(1.0, count - 4)));
    const double a = fit->of[2], b = fit->of[1], u_a = noise * std::sqrt(fit->covariance(2, 2));
    Local found = plain;
    const bool bent = which == Towards::high ? a < 0 : a > 0;
    const double vertex = bent ? -b / (2 * a) : 0;
    // Three samples around one that was chosen as the highest bend by noise alone.
    const bool turns = bent && std::abs(a) > (triple ? 5 : 2) * u_a && std::abs(vertex) <= double(half);
    const double t = turns ? std::clamp(vertex, double(first) - middle, double(last) - middle) : 0;
    found.place = middle + t;
    found.value = fit->at(t);
    found.u_value = noise * fit->u_at(t);
    found.u_place = turns ? noise * std::sqrt(fit->covariance(1, 1)) / std::abs(2 * a) : double(half) / std::sqrt(3.0);
    // What is no parabola beyond the noise is not read as one; of exact samples a little of the rise is allowed.
    // By chance a narrow one fails where a wider one does not.
    // Nor is one read past a sample that stands out of it: a glitch may be one sample long.
    const double little = 0.05 * std::abs(found.value - values[at]), stands_out = std::abs(values[at] - fit->at(0));
    if (!triple && (fit->residual > std::max(most, little) || stands_out > std::max(kFarOut * noise, little))) {
      if (++failed > kChances || noise == 0) break;
      continue;
    }
    if (triple) {
      // Three samples always lie on a parabola. Whether the waveform does, those beyond them tell: a corner is no vertex.
      const double rise = found.value - values[at];
      double off = 0;
      for (const double t2 : {-2.0, 2.0})
        if (const double k = middle + t2; k >= 0 && k <= double(n - 1))
          off = std::max(off, std::abs(fit->at(t2) - values[std::size_t(k)]));
      // What lies two samples out is foretold to 1, 3, 3 and 1 times the noise of the four samples.
      constexpr double kForetold = 4.47;
      const bool corner = off > std::abs(rise) + 3 * kForetold * noise;
      if (corner) {
        found.value = values[at];
        found.place = middle;
      }
      found.u_value = std::hypot(found.u_value, (corner ? 0.3 : 0.1) * std::abs(rise));
      found.u_place = std::hypot(found.u_place, corner ? 0.5 / std::sqrt(3.0) : 0.1 * t);
    }
    // What the next narrower parabola says otherwise is not known to be noise.
    if (spare && best.u_value > found.u_value) found.u_value = std::hypot(found.u_value, 0.7 * std::abs(found.value - best.value));
    best = found;
    turning = turns && spare ? std::optional(std::pair(first, last)) : std::nullopt;
    failed = 0;
    if (first == 0 && last == n - 1) break;
  }
  if (!turning) return best;
  return quartic_turn(values, turning->first, turning->second, at, best.place, noise, which).value_or(best);
}

Local extreme_about(std::span<const double> values, std::size_t at, std::size_t beside, double noise, Towards which) {
  const auto first = at - std::min(at, beside), last = std::min(values.size(), at + beside + 1);
  auto out = extreme_near(values.subspan(first, last - first), at - first, noise, which);
  out.place += double(first);
  return out;
}

std::optional<Local> crossing_near(std::span<const double> values, double near, double level, double noise) {
  const auto n = values.size();
  if (n < 2) return std::nullopt;
  const auto k = std::size_t(std::clamp(near, 0.0, double(n - 2)));
  // Two samples whose step stands out of the noise: a straight line between them.
  if (const double a = values[k], b = values[k + 1]; std::abs(b - a) >= 6 * noise && a != b) {
    const double share = (level - a) / (b - a), slope = std::abs(b - a);
    if (!(share >= -0.5 && share <= 1.5)) return std::nullopt;
    // How far a smooth curve through the neighbours lies from the straight line.
    double bend = 0;
    if (k >= 1 && k + 2 < n) bend = (values[k - 1] - a - b + values[k + 2]) / 2;
    const double between = std::abs(share * (1 - share) * bend / 2) / slope;
    return Local{double(k) + share, level, 0, std::hypot(noise * std::hypot(1 - share, share) / slope, between)};
  }
  // Else the parabola through as many samples as it takes to know the place well within them.
  constexpr double kWell = 1.0 / 6, kSteep = 0.15;  // of the half width; of the slope
  for (std::size_t half = 2;; half *= 2) {
    const auto first = k >= half ? k - half : 0, last = std::min(k + 1 + half, n - 1);
    const bool all = first == 0 && last == n - 1;
    const double middle = (double(first) + double(last)) / 2;
    if (const auto fit = parabola(values, first, last, middle)) {
      const double c = fit->of[0] - level, b = fit->of[1], a = fit->of[2], root = b * b - 4 * a * c;
      // The root on the branch that passes the middle: stable where the bend is small.
      const double t = root >= 0 && b != 0 ? -2 * c / (b + std::copysign(std::sqrt(root), b)) : NAN;
      const double slope = std::abs(b + 2 * a * t), reach = double(last - first) / 2;
      if (std::isfinite(t) && std::abs(t) <= reach && slope > 0) {
        const double each = std::max(noise, fit->residual), u = each * fit->u_at(t) / slope;
        // A slope that noise could have made says nothing of the place.
        const double u_slope = each * std::sqrt(fit->covariance(1, 1) + 4 * t * t * fit->covariance(2, 2));
        if ((u < kWell * reach && u_slope < kSteep * slope) || all) return Local{middle + t, level, 0, u};
      }
    }
    if (all) return std::nullopt;
  }
}

}  // namespace heron::signal
