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

/// How a curve is thought to run between its points.
enum class Between {
  cubics,   ///< through the four nearest points
  quintics  ///< through the six nearest
};

/// The values on a grid so many times as fine, from the first point to the last.
/// @param x  strictly rising, at least 4
std::vector<double> finer(std::span<const double> x, std::span<const double> y, int pieces, Between between);
/// The places that finer() gives values for.
std::vector<double> finer_places(std::span<const double> x, int pieces);

/// A value read on straight lines between points, put right by what smooth curves through them say, as far as that is
/// more than noise and the curves of two orders agree.
struct PutRight {
  double value = 0;
  double share = 0;  ///< of the way to the smooth curve that it was put right, 0 to 1
  double u_between = 0;  ///< what is not known of how the curve runs between the points
};
/// @param straight   as read on straight lines
/// @param noise      its standard uncertainty
/// @param cubic, quintic  as read on curves that finer() gives
PutRight put_right(double straight, double noise, double cubic, double quintic);
/// Whether a step from straight lines to a smooth curve is large enough beside the noise to be looked at closely.
bool matters(double step, double noise);
/// What the noise of a value read on a smooth curve, which leans on more points, adds to that on straight lines. A smooth
/// curve that takes noise away is not believed to.
double noise_added(const PutRight& right, double noise, double noise_refined);

struct Line {
  double slope = 0, intercept = 0;
};

/// Least-squares line; nothing for fewer than 2 distinct x.
/// @param weights  of the points, none below zero; empty: all alike
std::optional<Line> fit_line(std::span<const double> x, std::span<const double> y, std::span<const double> weights = {});

/// Adds whole turns so that neighbours differ by at most half a turn; the first goes to (-180, 180]. In degrees.
std::vector<double> unwrap_degrees(std::span<const double> phase);

/// Brings an angle into (-180, 180] degrees.
double wrap_degrees(double angle);

}  // namespace heron::signal
