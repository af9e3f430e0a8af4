#pragma once
#include <vector>

#include "study/spectrum/figures.h"

namespace heron::study::spectrum {

/// A record with its tones taken out of it, sample by sample.
struct Residual {
  std::string name, unit;
  double step = 0;               ///< s
  double start = 0;              ///< s, of the first sample
  std::vector<double> record;
  std::vector<double> rest;      ///< record less mean, fundamental, and harmonics where those are wanted too
  std::vector<double> phase;     ///< of the fundamental at each sample, 0 to 360 degrees; 0 where it rises through its mean
  double rms = 0, highest = 0;   ///< of the rest
};

inline constexpr std::size_t kMostOfResidual = std::size_t(1) << 20;  ///< samples that are looked at

/// Of the first record of a point.
/// @param harmonics  those that are counted are taken out as well
/// @return Fault::input where there is no fundamental to take out
Result<Residual> residual_of(const PointSpectra& point, std::size_t quantity, bool harmonics);

}  // namespace heron::study::spectrum
