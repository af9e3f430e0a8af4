#pragma once
#include <optional>
#include <span>
#include <vector>

/// The straight line that fits points best, with what they leave to know of it.
namespace heron::signal {

/// It, read where x is 0.
struct LineAt {
  double value = 0, u = 0;      ///< standard uncertainty, by how far the points lie from it
  double slope = 0, u_slope = 0;
};
/// By least squares (any textbook of statistics); nothing for fewer than 2 distinct x.
/// @param together  variance of a sum of neighbouring y against that of independent ones
std::optional<LineAt> line_at_zero(std::span<const double> x, std::span<const double> y, double together = 1);

/// y less that line; less their mean where x is all the same.
std::vector<double> without_line(std::span<const double> x, std::span<const double> y);

}  // namespace heron::signal
