#include "study/iv/curve.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "signal/curve.h"

namespace heron::study::iv {
namespace {

constexpr double kTurn = 0.02;  ///< of the span: what a turn must go back by

/// Coefficients of the parabola through (x - at), least squares: value, slope, half the curvature.
std::optional<Eigen::Vector3d> parabola(std::span<const double> x, std::span<const double> y, double at) {
  if (x.size() < 3) return std::nullopt;
  const double scale = std::max(std::abs(x.front() - at), std::abs(x.back() - at));
  if (!(scale > 0)) return std::nullopt;
  Eigen::MatrixXd a(Eigen::Index(x.size()), 3);
  Eigen::VectorXd b(Eigen::Index(x.size()));
  for (std::size_t k = 0; k < x.size(); ++k) {
    const double t = (x[k] - at) / scale;
    a.row(Eigen::Index(k)) << 1, t, t * t;
    b[Eigen::Index(k)] = y[k];
  }
  const Eigen::Vector3d c = a.colPivHouseholderQr().solve(b);
  if (!c.allFinite()) return std::nullopt;
  return Eigen::Vector3d(c[0], c[1] / scale, c[2] / (scale * scale));
}

/// The window of up to five points around `at`. @param x strictly rising
std::optional<std::size_t> window(std::span<const double> x, double at, std::size_t& count) {
  if (x.size() < 3 || !(at >= x.front() && at <= x.back())) return std::nullopt;
  count = std::min<std::size_t>(5, x.size());
  const auto above = std::size_t(std::lower_bound(x.begin(), x.end(), at) - x.begin());
  std::size_t nearest = std::min(above, x.size() - 1);
  if (nearest > 0 && at - x[nearest - 1] < x[nearest] - at) --nearest;
  return std::min(nearest >= count / 2 ? nearest - count / 2 : 0, x.size() - count);
}

/// Spread of the steps over their mean: 0 for even ones.
double unevenness(const std::vector<double>& y) {
  double sum = 0, squares = 0;
  for (std::size_t k = 1; k < y.size(); ++k) {
    const double d = y[k] - y[k - 1];
    sum += d;
    squares += d * d;
  }
  const double n = double(y.size() - 1), mean = sum / n;
  return std::sqrt(std::max(0.0, squares / n - mean * mean)) / std::max(std::abs(mean), 1e-300);
}

}  // namespace

std::size_t Family::size() const {
  std::size_t n = 0;
  for (const auto& c : curves) n += c.points.size();
  return n;
}

std::vector<Piece> pieces_of(const Curve& curve) {
  std::vector<Piece> out;
  const auto& p = curve.points;
  if (p.size() < 2) return out;
  // What was asked tells the direction without noise; a file has only what was read.
  const bool programmed = std::all_of(p.begin(), p.end(), [](const CurvePoint& c) { return c.programmed.has_value(); });
  const auto x = [&](std::size_t k) { return programmed ? *p[k].programmed : p[k].voltage; };
  double low = x(0), high = x(0);
  for (std::size_t k = 1; k < p.size(); ++k) {
    low = std::min(low, x(k));
    high = std::max(high, x(k));
  }
  const double turn = kTurn * (high - low);
  if (!(high > low)) return out;
  std::size_t extreme = 0, start = 0;
  int direction = 0;
  const auto close = [&](std::size_t end) {
    Piece piece{.rising = direction > 0, .points = {}};
    for (std::size_t k = start; k <= end; ++k) piece.points.push_back(k);
    out.push_back(std::move(piece));
    start = end;
  };
  for (std::size_t k = 1; k < p.size(); ++k) {
    const double gone = x(k) - x(extreme);
    if (direction == 0) {
      if (std::abs(gone) > turn) {
        direction = gone > 0 ? 1 : -1;
        extreme = k;
      }
    } else if (gone * direction >= 0) {
      extreme = k;
    } else if (-gone * direction > turn) {
      close(extreme);
      direction = -direction;
      extreme = k;
    }
  }
  close(p.size() - 1);
  return out;
}

Sorted sorted(const Curve& curve, std::span<const std::size_t> points) {
  std::vector<const CurvePoint*> usable;
  for (const auto k : points)
    if (curve.points[k].usable()) usable.push_back(&curve.points[k]);
  std::stable_sort(usable.begin(), usable.end(), [](const auto* a, const auto* b) { return a->voltage < b->voltage; });
  const bool certain = std::all_of(usable.begin(), usable.end(), [](const auto* p) { return p->u_current; });
  Sorted out;
  for (std::size_t k = 0; k < usable.size();) {
    double sum = 0, u = 0;
    std::size_t n = 0;
    for (; k + n < usable.size() && usable[k + n]->voltage == usable[k]->voltage; ++n) {
      sum += usable[k + n]->current;
      if (certain) u = std::max(u, std::hypot(usable[k + n]->u_current->noise, usable[k + n]->u_current->shared));
    }
    out.voltage.push_back(usable[k]->voltage);
    out.current.push_back(sum / double(n));
    if (certain) out.u_current.push_back(u);
    k += n;
  }
  const auto& i = out.current;
  const bool one_sign = i.size() > 3 && (std::all_of(i.begin(), i.end(), [](double c) { return c > 0; }) ||
                                         std::all_of(i.begin(), i.end(), [](double c) { return c < 0; }));
  if (one_sign) {
    std::vector<double> logs;
    for (const double c : i) logs.push_back(std::log(std::abs(c)));
    out.log_current = unevenness(logs) < unevenness(i);
  }
  return out;
}

Sorted sorted(const Curve& curve) {
  const auto pieces = pieces_of(curve);
  if (!pieces.empty()) return sorted(curve, pieces.front().points);
  std::vector<std::size_t> all(curve.points.size());
  for (std::size_t k = 0; k < all.size(); ++k) all[k] = k;
  return sorted(curve, all);
}

std::optional<double> current_at(const Sorted& c, double voltage) {
  if (!c.log_current) return signal::interpolate(c.voltage, c.current, voltage);
  std::vector<double> logs;
  for (const double i : c.current) logs.push_back(std::log(std::abs(i)));
  const auto lg = signal::interpolate(c.voltage, logs, voltage);
  return lg ? std::optional(std::copysign(std::exp(*lg), c.current.front())) : std::nullopt;
}

std::optional<double> voltage_at(const Sorted& c, double current) {
  for (std::size_t k = 0; k < c.current.size(); ++k)
    if (c.current[k] == current) return c.voltage[k];
  for (std::size_t k = 1; k < c.current.size(); ++k) {
    const double a = c.current[k - 1], b = c.current[k];
    if ((a < current) == (b < current)) continue;
    const double share = c.log_current ? std::log(current / a) / std::log(b / a) : (current - a) / (b - a);
    return c.voltage[k - 1] + share * (c.voltage[k] - c.voltage[k - 1]);
  }
  return std::nullopt;
}

std::optional<double> slope_at(const Sorted& c, double voltage) {
  std::size_t n = 0;
  const auto first = window(c.voltage, voltage, n);
  if (!first) return std::nullopt;
  const std::span<const double> v(c.voltage.data() + *first, n), i(c.current.data() + *first, n);
  if (c.log_current) {
    std::vector<double> logs;
    for (const double x : i) logs.push_back(std::log(std::abs(x)));
    const auto fit = parabola(v, logs, voltage);
    return fit ? std::optional(std::copysign(std::exp((*fit)[0]), i.front()) * (*fit)[1]) : std::nullopt;
  }
  const auto fit = parabola(v, i, voltage);
  return fit ? std::optional((*fit)[1]) : std::nullopt;
}

std::optional<double> resistance_at(const Sorted& c, double current) {
  std::vector<std::pair<double, double>> pairs;
  if (c.log_current && !(current / c.current.front() > 0)) return std::nullopt;
  for (std::size_t k = 0; k < c.current.size(); ++k)
    pairs.emplace_back(c.log_current ? std::log(std::abs(c.current[k])) : c.current[k], c.voltage[k]);
  std::sort(pairs.begin(), pairs.end());
  std::vector<double> x, y;
  for (const auto& [a, b] : pairs) {
    if (!x.empty() && a == x.back()) continue;
    x.push_back(a);
    y.push_back(b);
  }
  const double at = c.log_current ? std::log(std::abs(current)) : current;
  std::size_t n = 0;
  const auto first = window(x, at, n);
  if (!first) return std::nullopt;
  const auto fit = parabola(std::span(x).subspan(*first, n), std::span(y).subspan(*first, n), at);
  if (!fit) return std::nullopt;
  return c.log_current ? (*fit)[1] / current : (*fit)[1];
}

}  // namespace heron::study::iv
