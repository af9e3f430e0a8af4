#include "signal/curve.h"

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>

namespace heron::signal {

std::optional<Vertex> parabola_vertex(double x0, double y0, double x1, double y1, double x2, double y2) {
  const double left = (y1 - y0) / (x1 - x0), right = (y2 - y1) / (x2 - x1);
  const double bend = (right - left) / (x2 - x0);
  if (bend == 0 || !std::isfinite(bend)) return std::nullopt;
  // Newton's form y0 + left (x - x0) + bend (x - x0)(x - x1), its derivative set to zero.
  const double x = (x0 + x1) / 2 - left / (2 * bend);
  return Vertex{x, y0 + left * (x - x0) + bend * (x - x0) * (x - x1)};
}

std::optional<std::size_t> segment_of(std::span<const double> x, double at) {
  if (x.size() < 2 || !(at >= x.front() && at <= x.back())) return std::nullopt;
  const auto above = std::upper_bound(x.begin() + 1, x.end() - 1, at);
  return std::size_t(above - x.begin()) - 1;
}

std::optional<double> interpolate(std::span<const double> x, std::span<const double> y, double at) {
  if (x.size() == 1 && x.front() == at) return y.front();
  const auto i = segment_of(x, at);
  if (!i) return std::nullopt;
  const double share = (at - x[*i]) / (x[*i + 1] - x[*i]);
  return y[*i] + share * (y[*i + 1] - y[*i]);
}

namespace {

/// The polynomial through a few points, in barycentric form (Berrut and Trefethen): linear in the points at each place.
class Through {
 public:
  Through(std::span<const double> x, std::span<const double> y) : x_(x), y_(y) {
    assert(x.size() <= weight_.size());
    for (std::size_t a = 0; a < x.size(); ++a) {
      double product = 1;
      for (std::size_t b = 0; b < x.size(); ++b)
        if (b != a) product *= x[a] - x[b];
      weight_[a] = 1 / product;
    }
  }
  /// @param at  none of the points
  double operator()(double at) const {
    double above = 0, below = 0;
    for (std::size_t a = 0; a < x_.size(); ++a) {
      const double share = weight_[a] / (at - x_[a]);
      above += share * y_[a];
      below += share;
    }
    return above / below;
  }

 private:
  std::span<const double> x_, y_;
  std::array<double, 6> weight_{};
};

}  // namespace

std::vector<double> finer_places(std::span<const double> x, int pieces) {
  std::vector<double> out;
  out.reserve((x.size() - 1) * std::size_t(pieces) + 1);
  for (std::size_t i = 0; i + 1 < x.size(); ++i)
    for (int k = 0; k < pieces; ++k) out.push_back(k == 0 ? x[i] : x[i] + (x[i + 1] - x[i]) * k / pieces);
  out.push_back(x.back());
  return out;
}

std::vector<double> finer(std::span<const double> x, std::span<const double> y, int pieces, Between between) {
  const auto n = x.size();
  std::vector<double> out;
  out.reserve((n - 1) * std::size_t(pieces) + 1);
  for (std::size_t i = 0; i + 1 < n; ++i) {
    out.push_back(y[i]);
    // At the ends the same neighbours as one further in.
    const std::size_t count = std::min<std::size_t>(between == Between::cubics ? 4 : 6, n), before = count / 2 - 1;
    const std::size_t first = std::min(i < before ? 0 : i - before, n - count);
    const Through through(x.subspan(first, count), y.subspan(first, count));
    for (int k = 1; k < pieces; ++k) out.push_back(through(x[i] + (x[i + 1] - x[i]) * k / pieces));
  }
  out.push_back(y.back());
  return out;
}

PutRight put_right(double straight, double noise, double cubic, double quintic) {
  // From order to order a smooth curve changes ever less. Where it does not, the points are too far apart for either.
  constexpr double kConverges = 0.3, kSafety = 1;
  const double off = quintic - straight, last = std::abs(quintic - cubic), before = std::abs(cubic - straight);
  const double trust = before > 0 ? std::clamp((1 - last / before) / (1 - kConverges), 0.0, 1.0) : last == 0;
  const double share = off == 0 ? 0 : trust * off * off / (off * off + noise * noise);
  return {straight + share * off, share, std::hypot((1 - share) * off, share * kSafety * last)};
}

bool matters(double step, double noise) {
  constexpr double kOfNoise = 0.2;
  return std::abs(step) > kOfNoise * noise;
}

double noise_added(const PutRight& right, double noise, double noise_refined) {
  return right.share * std::sqrt(std::max(0.0, noise_refined * noise_refined - noise * noise));
}

std::optional<Line> fit_line(std::span<const double> x, std::span<const double> y, std::span<const double> weights) {
  if (x.size() < 2) return std::nullopt;
  const auto weight = [&](std::size_t i) { return weights.empty() ? 1.0 : weights[i]; };
  double total = 0, mean_x = 0, mean_y = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    total += weight(i);
    mean_x += weight(i) * x[i];
    mean_y += weight(i) * y[i];
  }
  if (!(total > 0)) return std::nullopt;
  mean_x /= total;
  mean_y /= total;
  double xx = 0, xy = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    xx += weight(i) * (x[i] - mean_x) * (x[i] - mean_x);
    xy += weight(i) * (x[i] - mean_x) * (y[i] - mean_y);
  }
  if (xx <= 0) return std::nullopt;
  return Line{xy / xx, mean_y - xy / xx * mean_x};
}

double wrap_degrees(double angle) {
  double wrapped = std::remainder(angle, 360.0);
  return wrapped <= -180 ? wrapped + 360 : wrapped;
}

std::vector<double> unwrap_degrees(std::span<const double> phase) {
  std::vector<double> out(phase.size());
  for (std::size_t i = 0; i < phase.size(); ++i)
    out[i] = i == 0 ? wrap_degrees(phase[0]) : out[i - 1] + wrap_degrees(phase[i] - phase[i - 1]);
  return out;
}

}  // namespace heron::signal
