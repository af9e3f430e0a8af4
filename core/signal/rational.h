#pragma once
#include <complex>
#include <span>

namespace heron::signal {

/// The value at a place of the rational function through points, numerator and denominator of equal degree or that one
/// higher (Stoer and Bulirsch, Introduction to Numerical Analysis, 2.2). Runs of a network's response, which is itself
/// rational in frequency, are followed right through their peaks and notches, where polynomials are not.
///
/// @param x  distinct, as many as y
/// @return NaN where the function has no such value
std::complex<double> rational_through(std::span<const double> x, std::span<const std::complex<double>> y, double at);

}  // namespace heron::signal
