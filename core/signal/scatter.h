#pragma once
#include <span>
#include <vector>

/// What a curve's own points say of their noise, and the curve that is left without it.
namespace heron::signal {

/// Standard deviation of the noise on each y, from how far points lie from what their neighbours foretell.
///
/// Every point is foretold by the polynomials through its four and six nearest neighbours. Of noise both miss by
/// alike; of a smooth curve the higher one misses by far less, and nothing is then reported. By the smaller misses of
/// blocks of some 16 points, so that a kink or a single bad point is not taken for noise; blocks that are alike are read
/// together. O(n log n).
///
/// @param x  strictly rising, as y at least 10 long
/// @return one value a point, that of the nearest block that shows noise where its own shows none; empty where none
/// does, or the points are too few
std::vector<double> scatter(std::span<const double> x, std::span<const double> y);

/// The curve without noise of known size: at each point the mean of parabolas over the widest stretch on which they
/// miss the points by no more than the noise explains; the point itself where none does. O(n log n).
///
/// For the centre of a parametric bootstrap: a maximum of it is not raised by noise as one of the points is.
/// @param u       standard deviation of each y; 0: exact
/// @param sigmas  of chi square that still count as explained; more where neighbours err alike
std::vector<double> without_noise(std::span<const double> x, std::span<const double> y, std::span<const double> u,
                                  double sigmas = 2);

}  // namespace heron::signal
