#include "signal/curve.h"

#include <algorithm>
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

std::optional<Line> fit_line(std::span<const double> x, std::span<const double> y) {
  if (x.size() < 2) return std::nullopt;
  double mean_x = 0, mean_y = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    mean_x += x[i] / double(x.size());
    mean_y += y[i] / double(x.size());
  }
  double xx = 0, xy = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    xx += (x[i] - mean_x) * (x[i] - mean_x);
    xy += (x[i] - mean_x) * (y[i] - mean_y);
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
