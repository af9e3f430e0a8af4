#pragma once
#include <string>
#include <vector>

#include "study/figure.h"
#include "study/power/limits.h"
#include "study/power/statistics.h"

namespace heron::study::power {

/// A figure of what alternates, as it comes out of the statistics.
struct Steady {
  std::string key, label, unit;
  tl::expected<double, std::string> value;
  double noise = 0;  ///< standard uncertainty from the noise on the samples
  bool angle = false;  ///< in degrees, which wrap
};

/// All figures, always the same in the same order for channels and settings alike.
std::vector<Steady> steady_of(const Statistics& s, const Settings& settings);

/// The same with their uncertainties: every channel's errors moved a little and what that does, and the noise.
void add_steady(const Measured& measured, const Settings& settings, Reading& into);

/// What limits of a phase's current rest on.
/// @param s  by phase
LimitBasis limit_basis(const Statistics& s, std::size_t phase);

/// A sequence of three phasors taken apart (Fortescue 1918).
struct Components {
  std::complex<double> zero, positive, negative;
};
Components components(const std::complex<double>& a, const std::complex<double>& b, const std::complex<double>& c);

/// Phase voltages out of those from line to line, or as they are: the statistics with voltages against the mean of the
/// three.
Statistics by_phase(const Statistics& s);

}  // namespace heron::study::power
