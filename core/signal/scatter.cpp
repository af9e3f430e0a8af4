#include "signal/scatter.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <optional>

#include "signal/curve.h"

namespace heron::signal {
namespace {

constexpr std::size_t kStretch = 16;
constexpr double kKept = 0.62;  ///< share of the smallest misses that count, so that a kink's few points do not

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

std::size_t kept_of(std::size_t n) { return std::max<std::size_t>(1, std::size_t(kKept * double(n))); }

/// A standard deviation by the smallest of so many sizes.
double by_the_smallest(std::vector<double>& of) {
  static const auto expected = [] {
    std::array<double, 2 * kStretch> all{};
    for (std::size_t n = 1; n < all.size(); ++n)
      for (std::size_t k = 0; k < kept_of(n); ++k) all[n] += std::pow(size_of_normal(k, n), 2);
    return all;
  }();
  const auto kept = kept_of(of.size());
  std::nth_element(of.begin(), of.begin() + std::ptrdiff_t(kept) - 1, of.end());
  double squares = 0;
  for (std::size_t k = 0; k < kept; ++k) squares += of[k] * of[k];
  return std::sqrt(squares / expected[of.size()]);
}

/// One block is few points. Its noise is read on as many blocks around it as one value explains, or else a line through
/// their logarithms.
std::vector<double> smoothed(const std::vector<double>& x, const std::vector<double>& noise) {
  constexpr std::size_t kReach = 12;
  constexpr double kOfOne = 0.48;  ///< standard deviation of a block's logarithm
  std::vector<double> logs;
  for (const double v : noise) logs.push_back(std::log(v));
  const auto explained = [&](std::size_t low, std::size_t high, bool by_line) -> std::optional<Line> {
    const std::size_t n = high - low;
    const std::span<const double> places(x.data() + low, n), values(logs.data() + low, n);
    std::optional<Line> line = Line{0, std::accumulate(values.begin(), values.end(), 0.0) / double(n)};
    if (by_line) line = fit_line(places, values);
    if (!line) return line;
    double chi = 0;
    for (std::size_t i = 0; i < n; ++i)
      chi += std::pow((values[i] - line->intercept - line->slope * places[i]) / kOfOne, 2);
    const double freedom = double(n) - (by_line ? 2 : 1);
    return chi < freedom + 2 * std::sqrt(2 * freedom) ? line : std::nullopt;
  };
  std::vector<double> out;
  for (std::size_t k = 0; k < noise.size(); ++k) {
    std::optional<Line> line;
    std::size_t blocks = 1;
    for (std::size_t reach = std::min(kReach, noise.size()); reach > 0 && !line; --reach) {
      const std::size_t low = k > reach ? k - reach : 0, high = std::min(noise.size(), k + reach + 1);
      line = explained(low, high, false);
      if (!line && high - low > 3) line = explained(low, high, true);
      if (line) blocks = high - low;
    }
    const double found = line ? line->intercept + line->slope * x[k] : logs[k];
    // What is divided by a noise that is known this badly spreads wider.
    out.push_back(std::exp(found + kOfOne * kOfOne / double(blocks)));
  }
  return out;
}

/// Neighbours whose noise is read together.
struct Block {
  double centre = 0;
  std::vector<std::size_t> points;
  std::vector<double> four, six;  ///< of each point, what it misses the lower and the higher polynomial by
};

std::vector<Block> blocks_of(std::span<const double> x, std::span<const double> y) {
  // Of very many points a part says as well how large their noise is.
  constexpr std::size_t kMost = 4096;
  const auto n = x.size();
  const std::size_t step = std::max(std::min(kStretch, n), n / kMost), count = std::max<std::size_t>(1, n / step);
  std::vector<Block> out(count);
  for (std::size_t k = 0; k < count; ++k) {
    const std::size_t from = k * step, to = k + 1 == count && step == kStretch ? n : std::min(n, from + kStretch);
    out[k].centre = (x[from] + x[to - 1]) / 2;
    for (std::size_t i = std::max<std::size_t>(from, 3); i + 3 < n && i < to; ++i) {
      out[k].points.push_back(i);
      out[k].four.push_back(miss(x, y, i, 2));
      out[k].six.push_back(miss(x, y, i, 3));
    }
  }
  return out;
}

/// The noise of each block over what is known of its points' so far; empty where none shows any.
std::vector<double> noise_of(const std::vector<Block>& blocks, const std::vector<double>& known, double least) {
  std::vector<double> noise;
  bool any = false;
  for (const auto& block : blocks) {
    auto four = block.four, six = block.six;
    for (std::size_t j = 0; j < six.size(); ++j) {
      four[j] /= known[block.points[j]];
      six[j] /= known[block.points[j]];
    }
    double found = 0;
    if (!six.empty()) {
      const double rough = by_the_smallest(six), smooth = by_the_smallest(four);
      if (rough > kAsRough * smooth && rough * known[block.points.front()] > least) found = std::min(rough, smooth);
    }
    any = any || found > 0;
    noise.push_back(found);
  }
  if (!any) return {};
  // Where the curve bends too sharply for its noise to show, it has that of the quieter of its neighbours.
  auto filled = noise;
  for (std::size_t k = 0; k < noise.size(); ++k) {
    if (noise[k] > 0) continue;
    double before = 0, after = 0;
    for (std::size_t j = k; j-- > 0 && before == 0;) before = noise[j];
    for (std::size_t j = k + 1; j < noise.size() && after == 0; ++j) after = noise[j];
    filled[k] = before > 0 && after > 0 ? std::min(before, after) : std::max(before, after);
  }
  return filled;
}

}  // namespace

std::vector<double> scatter(std::span<const double> x, std::span<const double> y) {
  if (x.size() < 10) return {};
  double size = 0;
  for (const double v : y) size = std::max(size, std::abs(v));
  constexpr double kRounding = 1e-13;  // what doubles round to is no noise
  const auto blocks = blocks_of(x, y);
  std::vector<double> centres;
  for (const auto& block : blocks) centres.push_back(block.centre);
  std::vector<double> out(x.size(), 1);
  // Twice: within a block whose noise rises steeply the smaller misses are those of its quiet end, until its course is
  // known.
  for (int pass = 0; pass < 2; ++pass) {
    auto noise = noise_of(blocks, out, kRounding * size);
    if (noise.empty()) return {};
    noise = smoothed(centres, noise);
    // On beyond the outermost blocks as between the last two.
    std::size_t k = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
      while (k + 2 < blocks.size() && centres[k + 1] < x[i]) ++k;
      const bool several = blocks.size() > 1;
      const double share = several ? (x[i] - centres[k]) / (centres[k + 1] - centres[k]) : 0;
      out[i] *= several ? noise[k] * std::pow(noise[k + 1] / noise[k], share) : noise[k];
    }
  }
  return out;
}

namespace {

/// Neighbours taken together, so that a million points are looked at as some thousands.
struct Bins {
  std::vector<std::size_t> ends;  ///< of each, the points' first of the next
  std::vector<double> x, y, u;    ///< weighted means; u 0 where a point of the bin is exact
};

Bins bins_of(std::span<const double> x, std::span<const double> y, std::span<const double> u) {
  constexpr std::size_t kMost = 16'384;
  const std::size_t many = (x.size() + kMost - 1) / kMost;
  Bins out;
  for (std::size_t from = 0; from < x.size(); from += many) {
    const std::size_t to = std::min(x.size(), from + many);
    double weight = 0, sum_x = 0, sum_y = 0;
    bool exact = false;
    for (std::size_t i = from; i < to; ++i) {
      exact = exact || !(u[i] > 0);
      const double w = exact ? 1 : 1 / (u[i] * u[i]);
      weight += w;
      sum_x += w * (x[i] - x[from]);
      sum_y += w * (y[i] - y[from]);
    }
    out.ends.push_back(to);
    out.x.push_back(x[from] + sum_x / weight);
    out.y.push_back(y[from] + sum_y / weight);
    out.u.push_back(exact ? 0 : 1 / std::sqrt(weight));
  }
  return out;
}

/// A parabola around a centre, and whether it explains the points.
struct Parabola {
  double centre = 0, half = 1;
  Eigen::Vector3d c = Eigen::Vector3d::Zero();
  bool good = false;

  double at(double where) const {
    const double t = (where - centre) / half;
    return c[0] + t * (c[1] + t * c[2]);
  }
};

/// Of the bins from `from` to before `to`. @param sigmas  of chi square that still count as explained
Parabola parabola_of(const Bins& b, std::size_t from, std::size_t to, double sigmas) {
  Parabola p{.centre = (b.x[from] + b.x[to - 1]) / 2, .half = std::max(1e-300, (b.x[to - 1] - b.x[from]) / 2)};
  Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
  Eigen::Vector3d right = Eigen::Vector3d::Zero();
  for (std::size_t i = from; i < to; ++i) {
    if (!(b.u[i] > 0)) return p;
    const double t = (b.x[i] - p.centre) / p.half, w = 1 / (b.u[i] * b.u[i]);
    const Eigen::Vector3d row(1, t, t * t);
    a += w * row * row.transpose();
    right += w * row * b.y[i];
  }
  p.c = a.ldlt().solve(right);
  if (!p.c.allFinite()) return p;
  const double freedom = double(to - from) - 3, most = freedom + sigmas * std::sqrt(2 * freedom);
  double chi = 0;
  for (std::size_t i = from; i < to && chi < most; ++i) chi += std::pow((b.y[i] - p.at(b.x[i])) / b.u[i], 2);
  p.good = chi < most;
  return p;
}

}  // namespace

std::vector<double> without_noise(std::span<const double> x, std::span<const double> y, std::span<const double> u,
                                  double sigmas) {
  std::vector<double> out(y.begin(), y.end());
  if (x.size() < 8) return out;
  const auto bins = bins_of(x, y, u);
  const auto n = bins.x.size();
  std::vector<char> settled(n, 0);
  const auto all_settled = [&](std::size_t from, std::size_t to) {
    return std::all_of(settled.begin() + std::ptrdiff_t(from), settled.begin() + std::ptrdiff_t(to),
                       [](char s) { return s != 0; });
  };
  /// Puts the points of a bin on a curve; not where they show that it has more shape than their mean tells.
  const auto settle = [&](std::size_t bin, const auto& curve) {
    constexpr double kFar = 4;
    const std::size_t from = bin == 0 ? 0 : bins.ends[bin - 1], to = bins.ends[bin];
    double chi = 0;
    if (to - from > 1)
      for (std::size_t i = from; i < to; ++i) chi += std::pow((y[i] - curve(x[i])) / u[i], 2);
    const double many = double(to - from);
    if (chi > many + kFar * sigmas * std::sqrt(2 * many)) return;
    for (std::size_t i = from; i < to; ++i) out[i] = curve(x[i]);
    settled[bin] = 1;
  };
  for (std::size_t width = n; width >= 6 && !all_settled(0, n); width = width / 2) {
    const std::size_t step = width == n ? n : std::max<std::size_t>(1, width / 4);
    std::vector<Parabola> pieces;
    for (std::size_t from = 0;; from += step) {
      from = std::min(from, n - width);
      pieces.push_back(all_settled(from, from + width)
                           ? Parabola{.centre = (bins.x[from] + bins.x[from + width - 1]) / 2}
                           : parabola_of(bins, from, from + width, sigmas));
      if (from == n - width) break;
    }
    // A point belongs to the piece whose centre is nearest; neighbours are blended so that no step shows.
    std::size_t k = 0;
    for (std::size_t i = 0; i < n; ++i) {
      while (k + 1 < pieces.size() && pieces[k + 1].centre <= bins.x[i]) ++k;
      if (settled[i] || !pieces[k].good) continue;
      const auto& one = pieces[k];
      if (k + 1 < pieces.size() && bins.x[i] > one.centre) {
        const auto& next = pieces[k + 1];
        if (!next.good) continue;
        settle(i, [&](double where) {
          const double share = (where - one.centre) / (next.centre - one.centre);
          return one.at(where) * (1 - share) + share * next.at(where);
        });
      } else {
        settle(i, [&](double where) { return one.at(where); });
      }
    }
  }
  return out;
}

}  // namespace heron::signal
