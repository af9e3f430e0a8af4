#include "signal/scatter.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace heron::signal {
namespace {

constexpr std::size_t kStretch = 14;
constexpr double kQuantile = 0.35;  ///< low, so that a kink's few points do not reach it

/// Expected k-th smallest of n sizes of a normal deviate (Blom's plotting position).
double size_of_normal(std::size_t k, std::size_t n) {
  const double share = (double(k) + 1 - 0.375) / (double(n) + 0.25);
  double low = 0, high = 6;
  for (int i = 0; i < 50; ++i) {
    const double middle = (low + high) / 2;
    (std::erf(middle / std::sqrt(2.0)) < share ? low : high) = middle;
  }
  return (low + high) / 2;
}
constexpr double kAsRough = 0.5;  ///< six neighbours that miss by this share of what four miss by: noise

/// How far y[i] lies from the polynomial through `side` neighbours either way, scaled so that noise keeps its size.
double miss(std::span<const double> x, std::span<const double> y, std::size_t i, std::size_t side) {
  double foretold = 0, squares = 1;
  for (std::size_t a = i - side; a <= i + side; ++a) {
    if (a == i) continue;
    double weight = 1;
    for (std::size_t b = i - side; b <= i + side; ++b)
      if (b != a && b != i) weight *= (x[i] - x[b]) / (x[a] - x[b]);
    foretold += weight * y[a];
    squares += weight * weight;
  }
  return std::abs(y[i] - foretold) / std::sqrt(squares);
}

/// A standard deviation by a low quantile of sizes.
double by_quantile(std::vector<double>& of) {
  const auto k = std::size_t(kQuantile * double(of.size()));
  std::nth_element(of.begin(), of.begin() + std::ptrdiff_t(k), of.end());
  return of[k] / size_of_normal(k, of.size());
}

}  // namespace

std::vector<double> scatter(std::span<const double> x, std::span<const double> y) {
  const auto n = x.size();
  if (n < 10) return {};
  double size = 0;
  for (const double v : y) size = std::max(size, std::abs(v));
  const std::size_t step = std::min(kStretch / 2, n), blocks = std::max<std::size_t>(1, n / step - (n >= kStretch ? 1 : 0));
  std::vector<double> centre, noise, four, six;
  bool any = false;
  for (std::size_t k = 0; k < blocks; ++k) {
    const std::size_t from = k * step, to = k + 1 == blocks ? n : std::min(n, from + kStretch);
    four.clear();
    six.clear();
    for (std::size_t i = std::max<std::size_t>(from, 3); i + 3 < n && i < to; ++i) {
      four.push_back(miss(x, y, i, 2));
      six.push_back(miss(x, y, i, 3));
    }
    double found = 0;
    if (!six.empty()) {
      const double rough = by_quantile(six), smooth = by_quantile(four);
      // What doubles round to is no noise.
      if (rough > kAsRough * smooth && rough > 1e-13 * size)
        found = std::min(rough, smooth);
    }
    any = any || found > 0;
    centre.push_back((x[from] + x[to - 1]) / 2);
    noise.push_back(found);
  }
  if (!any) return {};
  // Where the curve bends too sharply for its noise to show, it has that of the quieter of its neighbours.
  std::vector<double> filled = noise;
  for (std::size_t k = 0; k < blocks; ++k) {
    if (noise[k] > 0) continue;
    double before = 0, after = 0;
    for (std::size_t j = k; j-- > 0 && before == 0;) before = noise[j];
    for (std::size_t j = k + 1; j < blocks && after == 0; ++j) after = noise[j];
    filled[k] = before > 0 && after > 0 ? std::min(before, after) : std::max(before, after);
  }
  // One block is few points; where its neighbours are alike their mean says better how large the noise is.
  constexpr std::size_t kReach = 3;
  constexpr double kAlike = 3;
  for (std::size_t k = 0; k < blocks; ++k) {
    const std::size_t low = k > kReach ? k - kReach : 0, high = std::min(blocks, k + kReach + 1);
    const auto [least, most] = std::minmax_element(filled.begin() + std::ptrdiff_t(low), filled.begin() + std::ptrdiff_t(high));
    noise[k] = filled[k];
    if (*most > kAlike * *least) continue;
    double sum = 0;
    for (std::size_t j = low; j < high; ++j) sum += std::log(filled[j]);
    noise[k] = std::exp(sum / double(high - low));
  }
  std::vector<double> out(n);
  std::size_t k = 0;
  for (std::size_t i = 0; i < n; ++i) {
    while (k + 1 < blocks && centre[k + 1] < x[i]) ++k;
    const bool inside = k + 1 < blocks && x[i] > centre[k];
    const double share = inside ? (x[i] - centre[k]) / (centre[k + 1] - centre[k]) : 0;
    out[i] = noise[k] * (1 - share) + (inside ? noise[k + 1] * share : 0);
  }
  return out;
}

std::vector<double> without_noise(std::span<const double> x, std::span<const double> y, std::span<const double> u,
                                  double sigmas) {
  const auto n = x.size();
  std::vector<double> out(y.begin(), y.end());
  if (n < 8) return out;
  std::vector<char> settled(n, 0);
  /// A parabola around a centre, and whether it explains the points.
  struct Piece {
    double centre = 0, half = 1;
    Eigen::Vector3d c = Eigen::Vector3d::Zero();
    bool good = false;
    double at(double where) const {
      const double t = (where - centre) / half;
      return c[0] + t * (c[1] + t * c[2]);
    }
  };
  const auto piece = [&](std::size_t from, std::size_t to) {
    Piece p{.centre = (x[from] + x[to - 1]) / 2, .half = std::max(1e-300, (x[to - 1] - x[from]) / 2)};
    Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
    Eigen::Vector3d b = Eigen::Vector3d::Zero();
    for (std::size_t i = from; i < to; ++i) {
      if (!(u[i] > 0)) return p;
      const double t = (x[i] - p.centre) / p.half, w = 1 / (u[i] * u[i]);
      const Eigen::Vector3d row(1, t, t * t);
      a += w * row * row.transpose();
      b += w * row * y[i];
    }
    p.c = a.ldlt().solve(b);
    if (!p.c.allFinite()) return p;
    double chi = 0;
    for (std::size_t i = from; i < to; ++i) chi += std::pow((y[i] - p.at(x[i])) / u[i], 2);
    const double freedom = double(to - from) - 3;
    p.good = chi < freedom + sigmas * std::sqrt(2 * freedom);
    return p;
  };
  for (std::size_t width = n; width >= 6; width = width / 2) {
    if (std::all_of(settled.begin(), settled.end(), [](char s) { return s != 0; })) break;
    const std::size_t step = width == n ? n : std::max<std::size_t>(1, width / 4);
    std::vector<Piece> pieces;
    std::vector<std::size_t> starts;
    for (std::size_t from = 0;; from += step) {
      from = std::min(from, n - width);
      pieces.push_back(piece(from, from + width));
      starts.push_back(from);
      if (from == n - width) break;
    }
    // A point belongs to the piece whose centre is nearest; neighbours are blended so that no step shows.
    std::size_t k = 0;
    for (std::size_t i = 0; i < n; ++i) {
      while (k + 1 < pieces.size() && pieces[k + 1].centre <= x[i]) ++k;
      if (settled[i] || !pieces[k].good) continue;
      double value = pieces[k].at(x[i]);
      if (k + 1 < pieces.size() && x[i] > pieces[k].centre) {
        if (!pieces[k + 1].good) continue;
        const double share = (x[i] - pieces[k].centre) / (pieces[k + 1].centre - pieces[k].centre);
        value = value * (1 - share) + share * pieces[k + 1].at(x[i]);
      }
      out[i] = value;
      settled[i] = 1;
    }
  }
  return out;
}

}  // namespace heron::signal
