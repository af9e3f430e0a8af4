#include "signal/exponential.h"

#include <Eigen/Dense>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <vector>

namespace heron::signal {
namespace {

struct Inner {
  double a = 0, c = 0, squares = 0;
};

/// The best a and c for a time constant.
Inner project(std::span<const double> t, std::span<const double> y, double tau) {
  double e = 0, ee = 0, ey = 0, sy = 0, yy = 0;
  const double n = double(t.size());
  for (std::size_t k = 0; k < t.size(); ++k) {
    const double x = std::exp(-(t[k] - t[0]) / tau);
    e += x;
    ee += x * x;
    ey += x * y[k];
    sy += y[k];
    yy += y[k] * y[k];
  }
  const double spread = ee - e * e / n;
  Inner out;
  out.a = spread > 0 ? (ey - e * sy / n) / spread : 0;
  out.c = (sy - out.a * e) / n;
  for (std::size_t k = 0; k < t.size(); ++k)
    out.squares += std::pow(y[k] - out.c - out.a * std::exp(-(t[k] - t[0]) / tau), 2);
  return out;
}

}  // namespace

double Exponential::at(double t) const { return c + a * std::exp(-t / tau); }

std::optional<Exponential> fit_exponential(std::span<const double> t, std::span<const double> y) {
  const auto n = t.size();
  if (n < 6 || y.size() != n) return std::nullopt;
  const double span = t.back() - t.front(), step = span / double(n - 1);
  if (!(span > 0)) return std::nullopt;
  const double low = std::log(step), high = std::log(30 * span);
  // The sum of squares over ln tau has one valley, but long flanks: it is looked for on a grid first.
  constexpr int kGrid = 48;
  int best = 0;
  double least = INFINITY;
  for (int k = 0; k <= kGrid; ++k)
    if (const double s = project(t, y, std::exp(low + (high - low) * k / kGrid)).squares; s < least) {
      least = s;
      best = k;
    }
  if (best == 0 || best == kGrid) return std::nullopt;
  const auto found = boost::math::tools::brent_find_minima(
      [&](double lg) { return project(t, y, std::exp(lg)).squares; }, low + (high - low) * (best - 1) / kGrid,
      low + (high - low) * (best + 1) / kGrid, 40);
  Exponential out{.tau = std::exp(found.first)};
  const auto inner = project(t, y, out.tau);
  out.a = inner.a;
  out.c = inner.c;
  Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
  double lagged = 0, squares = 0, before = 0;
  for (std::size_t k = 0; k < n; ++k) {
    const double s = t[k] - t[0], e = std::exp(-s / out.tau);
    const Eigen::Vector3d v(e, out.a * e * s / (out.tau * out.tau), 1);
    m += v * v.transpose();
    const double rest = y[k] - out.c - out.a * e;
    squares += rest * rest;
    if (k > 0) lagged += rest * before;
    before = rest;
  }
  out.residual = std::sqrt(squares / double(n - 3));
  // Residuals that hang together are fewer than they look.
  const double rho = squares > 0 ? std::clamp(lagged / squares, 0.0, 0.99) : 0;
  const double together = std::sqrt((1 + rho) / (1 - rho));
  const Eigen::Matrix3d inverse = m.fullPivLu().inverse();
  const auto u = [&](int k) { return out.residual * together * std::sqrt(std::max(0.0, inverse(k, k))); };
  out.u_a = u(0);
  out.u_tau = u(1);
  out.u_c = u(2);
  return out;
}

}  // namespace heron::signal
