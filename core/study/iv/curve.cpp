#include "study/iv/curve.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/random.h"
#include "signal/curve.h"
#include "signal/scatter.h"

namespace heron::study::iv {
namespace {

constexpr double kTurn = 0.02;  ///< of the span: what a turn must go back by

/// Coefficients of the parabola through (x - at), least squares: value, slope, half the curvature.
std::optional<Eigen::Vector3d> parabola(std::span<const double> x, std::span<const double> y, double at) {
  if (x.size() < 3) return std::nullopt;
  const double scale = std::max(std::abs(x.front() - at), std::abs(x.back() - at));
  if (!(scale > 0)) return std::nullopt;
  // Places are scaled to within one, so that the normal equations lose nothing.
  Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
  Eigen::Vector3d b = Eigen::Vector3d::Zero();
  for (std::size_t k = 0; k < x.size(); ++k) {
    const double t = (x[k] - at) / scale;
    const Eigen::Vector3d row(1, t, t * t);
    a += row * row.transpose();
    b += row * y[k];
  }
  const Eigen::Vector3d c = a.ldlt().solve(b);
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

namespace {

/// Currents of one sign whose logarithms rise more evenly than they do themselves.
bool is_log(const std::vector<double>& i) {
  const bool one_sign = i.size() > 3 && (std::all_of(i.begin(), i.end(), [](double c) { return c > 0; }) ||
                                         std::all_of(i.begin(), i.end(), [](double c) { return c < 0; }));
  if (!one_sign) return false;
  std::vector<double> logs;
  logs.reserve(i.size());
  for (const double c : i) logs.push_back(std::log(std::abs(c)));
  return unevenness(logs) < unevenness(i);
}

}  // namespace

Sorted sorted(const Curve& curve, std::span<const std::size_t> points) {
  std::vector<const CurvePoint*> usable;
  usable.reserve(points.size());
  for (const auto k : points)
    if (curve.points[k].usable()) usable.push_back(&curve.points[k]);
  const auto rises = [](const auto* a, const auto* b) { return a->voltage < b->voltage; };
  if (!std::is_sorted(usable.begin(), usable.end(), rises)) std::stable_sort(usable.begin(), usable.end(), rises);
  const bool certain =
      !usable.empty() && std::all_of(usable.begin(), usable.end(), [](const auto* p) { return p->u_current; });
  Sorted out;
  out.voltage.reserve(usable.size());
  out.current.reserve(usable.size());
  for (std::size_t k = 0; k < usable.size();) {
    double sum = 0, u = 0, noise_v = 0, noise_i = 0;
    std::size_t n = 0;
    for (; k + n < usable.size() && usable[k + n]->voltage == usable[k]->voltage; ++n) {
      const auto& p = *usable[k + n];
      sum += p.current;
      if (!certain) continue;
      u = std::max(u, std::hypot(p.u_current->noise, p.u_current->shared));
      noise_i = std::max(noise_i, p.u_current->noise);
      if (p.u_voltage) noise_v = std::max(noise_v, p.u_voltage->noise);
    }
    if (certain) {
      for (const auto& e : usable[k]->shared) out.shared.emplace_back(out.voltage.size(), e);
      out.u_current.push_back(u);
      out.noise_voltage.push_back(noise_v / std::sqrt(double(n)));
      out.noise_current.push_back(noise_i / std::sqrt(double(n)));
    }
    out.voltage.push_back(usable[k]->voltage);
    out.current.push_back(sum / double(n));
    k += n;
  }
  out.log_current = is_log(out.current);
  return out;
}

Sorted upright(Sorted s) {
  if (s.voltage.size() < 2 || !(-s.voltage.front() > s.voltage.back())) return s;
  const auto turn = [](std::vector<double>& row, double by) {
    std::reverse(row.begin(), row.end());
    for (auto& v : row) v *= by;
  };
  turn(s.voltage, -1);
  turn(s.current, -1);
  for (auto* row : {&s.u_current, &s.noise_voltage, &s.noise_current}) turn(*row, 1);
  for (auto& [at, e] : s.shared) {
    at = s.voltage.size() - 1 - at;
    e.first = -e.first;
    e.second = -e.second;
  }
  s.mirrored = !s.mirrored;
  return s;
}

std::optional<Sorted> refined(const Sorted& s, signal::Between between, std::size_t most_pieces) {
  constexpr std::size_t kDense = 20'000, kPlaces = 40'000;
  if (s.voltage.size() < 4 || s.voltage.size() > kDense) return std::nullopt;
  const int pieces =
      int(std::clamp<std::size_t>(kPlaces / s.voltage.size(), std::min<std::size_t>(8, most_pieces), most_pieces));
  Sorted out{.voltage = signal::finer_places(s.voltage, pieces),
             .current = {},
             .u_current = {},
             .noise_voltage = {},
             .noise_current = {},
             .shared = {},
             .log_current = s.log_current,
             .mirrored = s.mirrored};
  if (!s.log_current) {
    out.current = signal::finer(s.voltage, s.current, pieces, between);
    return out;
  }
  std::vector<double> logs;
  for (const double i : s.current) logs.push_back(std::log(std::abs(i)));
  for (const double lg : signal::finer(s.voltage, logs, pieces, between))
    out.current.push_back(std::copysign(std::exp(lg), s.current.front()));
  return out;
}

void draw(const Sorted& s, std::mt19937_64& random, SharedDraw& shared, Sorted& out) {
  out.log_current = s.log_current;
  for (std::size_t k = 0; k < s.voltage.size(); ++k) {
    out.voltage[k] = s.voltage[k];
    out.current[k] = s.current[k];
    if (s.noise_voltage[k] > 0) out.voltage[k] += s.noise_voltage[k] * normal_deviate(random);
    if (s.noise_current[k] > 0) out.current[k] += s.noise_current[k] * normal_deviate(random);
  }
  for (const auto& [at, e] : s.shared) {
    const double by = shared(e.source);
    out.voltage[at] += by * e.first;
    out.current[at] += by * e.second;
  }
  // Voltages that noise has brought out of order are put back; equal ones are moved apart by nothing that matters.
  for (std::size_t k = 1; k < out.voltage.size(); ++k)
    for (std::size_t j = k; j > 0 && !(out.voltage[j] > out.voltage[j - 1]); --j) {
      if (out.voltage[j] == out.voltage[j - 1]) {
        out.voltage[j] = std::nextafter(out.voltage[j], INFINITY);
        break;
      }
      std::swap(out.voltage[j], out.voltage[j - 1]);
      std::swap(out.current[j], out.current[j - 1]);
    }
  if (out.log_current) {
    const bool negative = std::signbit(s.current.front());
    for (const double i : out.current)
      if (i == 0 || std::signbit(i) != negative) out.log_current = false;
  }
}

void estimate_scatter(Family& family) {
  for (auto& curve : family.curves) {
    if (std::any_of(curve.points.begin(), curve.points.end(), [](const CurvePoint& p) { return p.u_current; }))
      continue;
    auto pieces = pieces_of(curve);
    if (pieces.empty()) continue;
    // A table without any sign of noise stays one without uncertainties.
    std::vector<double> noise(curve.points.size());
    bool any = false;
    for (auto& piece : pieces) {
      auto& order = piece.points;
      const auto rises = [&](auto a, auto b) { return curve.points[a].voltage < curve.points[b].voltage; };
      if (!std::is_sorted(order.begin(), order.end(), rises)) std::stable_sort(order.begin(), order.end(), rises);
      std::vector<double> v, i;
      std::vector<std::size_t> from;
      for (const auto k : order) {
        const auto& p = curve.points[k];
        if (!p.usable() || (!v.empty() && p.voltage == v.back())) continue;
        v.push_back(p.voltage);
        i.push_back(p.current);
        from.push_back(k);
      }
      const auto found = signal::scatter(v, i);
      for (std::size_t n = 0; n < found.size(); ++n) {
        noise[from[n]] = std::max(noise[from[n]], found[n]);
        any = any || found[n] > 0;
      }
    }
    if (!any) continue;
    family.scattered = true;
    constexpr double kOfScatter = 0.2;
    curve.u_noise = kOfScatter;
    for (std::size_t k = 0; k < noise.size(); ++k) {
      curve.points[k].u_current = Doubtful{noise[k], 0};
      curve.points[k].u_voltage = Doubtful{0, 0};
    }
  }
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
  const auto k = signal::segment_of(c.voltage, voltage);
  if (!k) return std::nullopt;
  const double share = (voltage - c.voltage[*k]) / (c.voltage[*k + 1] - c.voltage[*k]);
  const double a = std::log(std::abs(c.current[*k])), b = std::log(std::abs(c.current[*k + 1]));
  return std::copysign(std::exp(a + share * (b - a)), c.current.front());
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

namespace {

/// Currents of one sign that change by far over the few points: their logarithm is the smoother one there.
bool steep(std::span<const double> i) {
  constexpr double kFar = 1.25;
  const auto [low, high] = std::minmax_element(i.begin(), i.end());
  if (!(*low * *high > 0) || std::max(*high / *low, *low / *high) <= kFar) return false;
  std::vector<double> plain(i.begin(), i.end()), logs;
  for (const double x : i) logs.push_back(std::log(std::abs(x)));
  return unevenness(logs) < unevenness(plain);
}

}  // namespace

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
  for (std::size_t k = 0; k < c.current.size(); ++k) pairs.emplace_back(c.current[k], c.voltage[k]);
  std::sort(pairs.begin(), pairs.end());
  std::vector<double> x, y;
  for (const auto& [a, b] : pairs) {
    if (!x.empty() && a == x.back()) continue;
    x.push_back(a);
    y.push_back(b);
  }
  std::size_t n = 0;
  const auto first = window(x, current, n);
  if (!first) return std::nullopt;
  std::vector<double> near(x.begin() + std::ptrdiff_t(*first), x.begin() + std::ptrdiff_t(*first + n));
  const bool logs = steep(near);
  if (logs)
    for (auto& v : near) v = std::log(std::abs(v));
  const auto fit = parabola(near, std::span(y).subspan(*first, n), logs ? std::log(std::abs(current)) : current);
  if (!fit) return std::nullopt;
  return logs ? (*fit)[1] / current : (*fit)[1];
}

}  // namespace heron::study::iv
