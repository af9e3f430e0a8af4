#pragma once
#include <optional>
#include <span>
#include <vector>

/// Reading sampled curves: interpolation, crossings, vertices, lines. All pure, all O(n) or better.
namespace heron::signal {

/// The vertex of a parabola.
struct Vertex {
  double x = 0, y = 0;
};

/// The vertex of the parabola through three points with distinct x; nothing when they lie on a line.
std::optional<Vertex> parabola_vertex(double x0, double y0, double x1, double y1, double x2, double y2);

/// y at `at`, linear between neighbours; nothing outside the data. @param x strictly rising
std::optional<double> interpolate(std::span<const double> x, std::span<const double> y, double at);

/// Index of the segment [i, i+1] that holds `at`; nothing outside. @param x strictly rising, at least 2
std::optional<std::size_t> segment_of(std::span<const double> x, double at);

struct Line {
  double slope = 0, intercept = 0;
};

/// Least-squares line; nothing for fewer than 2 distinct x.
std::optional<Line> fit_line(std::span<const double> x, std::span<const double> y);

/// Adds whole turns so that neighbours differ by at most half a turn; the first goes to (-180, 180]. In degrees.
std::vector<double> unwrap_degrees(std::span<const double> phase);

/// Brings an angle into (-180, 180] degrees.
double wrap_degrees(double angle);

}  // namespace heron::signal
