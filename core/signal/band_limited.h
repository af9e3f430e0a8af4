#pragma once
#include <span>
#include <vector>

namespace heron::signal {

/// Samples on either side that a value between samples is made of.
inline constexpr std::size_t kBandLimitedReach = 32;

/// The band-limited signal through even samples, at places between them: sin(pi x)/(pi x) under a Hann window as wide as
/// the reach (Whittaker, Shannon; the window keeps what far samples do small). Right for signals well below half the
/// sample rate; beyond the ends the first or the last sample is taken to go on.
/// @param places  in samples, 0 is the first
std::vector<double> band_limited(std::span<const double> samples, std::span<const double> places);

}  // namespace heron::signal
