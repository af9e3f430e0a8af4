#include "study/response/compare.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/conversions.h"
#include "signal/curve.h"
#include "study/response/compensate.h"

namespace heron::study::response {
namespace {

double u_at(const Curve& curve, double frequency, std::optional<double> CurvePoint::*u) {
  const auto& points = curve.points;
  auto after = std::lower_bound(points.begin(), points.end(), frequency,
                                [](const CurvePoint& p, double f) { return p.frequency < f; });
  if (after == points.end()) --after;
  return ((*after).*u).value_or(0);
}

/// Phase as the complex value has it, moved by whole turns to where the curve's own phase runs.
double phase_along(const Curve& curve, double frequency, double phase) {
  std::vector<double> lg;
  for (const auto& p : curve.points) lg.push_back(std::log10(p.frequency));
  const auto near = signal::interpolate(lg, curve.phases(), std::log10(frequency));
  return near ? phase + 360 * std::round((*near - phase) / 360) : phase;
}

template <class Combine>
Curve combined(const Curve& a, const Curve& b, Combine combine) {
  Curve out{.has_phase = a.has_phase && b.has_phase, .quantity = Quantity::gain};
  for (std::size_t i = 0; i < a.points.size(); ++i) {
    const auto& p = a.points[i];
    const auto other = value_at(b, p.frequency);
    if (!other || !(std::abs(*other) > 0)) continue;
    const auto v = combine(a.value(i), *other);
    if (!(std::abs(v) > 0)) continue;
    CurvePoint q{.index = p.index, .frequency = p.frequency, .trusted = p.trusted};
    q.gain_db = 20 * std::log10(std::abs(v));
    q.phase_deg = std::arg(v) * kDegrees;
    if (p.u_gain_db) q.u_gain_db = std::hypot(*p.u_gain_db, u_at(b, p.frequency, &CurvePoint::u_gain_db));
    if (p.u_phase_deg) q.u_phase_deg = std::hypot(*p.u_phase_deg, u_at(b, p.frequency, &CurvePoint::u_phase_deg));
    out.points.push_back(q);
  }
  const auto phases = signal::unwrap_degrees(out.phases());
  for (std::size_t i = 0; i < phases.size(); ++i) out.points[i].phase_deg = phases[i];
  return out;
}

}  // namespace

bool same_grid(const Curve& a, const Curve& b) {
  const auto& few = a.points.size() <= b.points.size() ? a : b;
  const auto& many = &few == &a ? b : a;
  return std::all_of(few.points.begin(), few.points.end(), [&](const CurvePoint& p) {
    return std::any_of(many.points.begin(), many.points.end(),
                       [&](const CurvePoint& q) { return std::abs(q.frequency / p.frequency - 1) < 1e-9; });
  });
}

Curve on_grid(const Curve& curve, const std::vector<double>& frequencies) {
  Curve out = curve;
  out.points.clear();
  for (const double f : frequencies) {
    const auto v = value_at(curve, f);
    if (!v || !(std::abs(*v) > 0)) continue;
    CurvePoint p{.index = int(out.points.size()), .frequency = f};
    p.gain_db = 20 * std::log10(std::abs(*v));
    p.phase_deg = phase_along(curve, f, std::arg(*v) * kDegrees);
    out.points.push_back(p);
  }
  return out;
}

Curve ratio(const Curve& a, const Curve& b) {
  return combined(a, b, [](auto x, auto y) { return x / y; });
}

Curve difference(const Curve& a, const Curve& b) {
  return combined(a, b, [](auto x, auto y) { return x - y; });
}

Statistics statistics(const std::vector<const Curve*>& curves) {
  Statistics out{.curves = int(curves.size())};
  if (curves.empty() || curves.front()->points.empty()) return out;
  auto grid = curves.front()->frequencies();
  for (const auto* curve : curves) {
    if (curve->points.empty()) return out;
    out.interpolated = out.interpolated || !same_grid(*curves.front(), *curve);
    const double low = curve->points.front().frequency * (1 - 1e-12),
                 high = curve->points.back().frequency * (1 + 1e-12);
    std::erase_if(grid, [&](double f) { return f < low || f > high; });
  }
  std::vector<Curve> aligned;
  for (const auto* curve : curves) aligned.push_back(on_grid(*curve, grid));
  for (const auto& curve : aligned)
    if (curve.points.size() != grid.size()) return out;
  out.frequency = grid;
  const auto gather = [&](double CurvePoint::*what, std::vector<double>& mean, std::vector<double>& low,
                          std::vector<double>& high, std::vector<double>& sigma) {
    for (std::size_t i = 0; i < grid.size(); ++i) {
      double sum = 0, squares = 0, least = aligned[0].points[i].*what, most = least;
      for (const auto& curve : aligned) {
        const double v = curve.points[i].*what;
        sum += v;
        least = std::min(least, v);
        most = std::max(most, v);
      }
      const double n = double(aligned.size()), middle = sum / n;
      for (const auto& curve : aligned) squares += std::pow(curve.points[i].*what - middle, 2);
      mean.push_back(middle);
      low.push_back(least);
      high.push_back(most);
      if (n > 1) sigma.push_back(std::sqrt(squares / (n - 1)));
    }
  };
  gather(&CurvePoint::gain_db, out.mean_db, out.low_db, out.high_db, out.sigma_db);
  gather(&CurvePoint::phase_deg, out.mean_deg, out.low_deg, out.high_deg, out.sigma_deg);
  return out;
}

}  // namespace heron::study::response
