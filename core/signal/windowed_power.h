#pragma once
#include <complex>
#include <cstddef>
#include <vector>

/// Windows that are sums of cosines, laid over the lines of a plain transform: a window in time is a few lines beside each other.
namespace heron::signal {

/// Adds scale |a_0 x[k] + sum_j a_j/2 (x[k-j] + x[k+j])|^2 to each of `count` lines. Those beside them must be there: as many as
/// there are cosines less one, on both sides.
/// @param cosines  those of any window there is
void add_windowed_power(const std::complex<double>* lines, const std::vector<double>& cosines, std::size_t count, double scale, double* into);

/// The largest |x|^2.
double largest_power(const std::complex<double>* lines, std::size_t count);

}  // namespace heron::signal
