#pragma once
#include <functional>
#include <random>
#include <vector>

namespace heron::sim {

/// Gaussian noise with a given density, sampled at `rate`: a random spectrum of that shape, transformed back. What lies
/// above half the rate, up to `highest`, is folded in as white.
///
/// @param density  V/sqrt(Hz) at a frequency in Hz
std::vector<double> coloured_noise(const std::function<double(double)>& density, double rate, double highest,
                                   std::size_t samples, std::mt19937_64& random);

}  // namespace heron::sim
