#pragma once
#include <functional>
#include <random>
#include <vector>

namespace heron::sim {

/// Noise of a given density as a record shows it.
struct ColouredNoise {
  std::vector<double> series;  ///< V
  double folded = 0;           ///< V rms, what lies above half the rate: white by the folding, and not in the series
};

/// Gaussian noise with a given density, sampled at `rate`: a random spectrum of that shape, transformed back.
///
/// @param density  V/sqrt(Hz) at a frequency in Hz
/// @param highest  Hz, where the input ends
ColouredNoise coloured_noise(const std::function<double(double)>& density, double rate, double highest,
                                   std::size_t samples, std::mt19937_64& random);

}  // namespace heron::sim
