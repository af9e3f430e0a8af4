#pragma once
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "study/figure.h"
#include "study/power/load_states.h"
#include "study/power/settings.h"

namespace heron::study::power {

struct Wake {
  std::size_t first = 0, last = 0;  ///< samples, [first, last)
  double charge = 0;                ///< C above sleep
  double jumps = 0;                 ///< A2, from sample to sample squared, noise taken off: where in between it jumped nobody knows
};

/// A small current over decades: how long it is at what, and what it wakes to.
struct LoadProfile {
  double mean = 0, peak = 0, u_peak = 0, seconds = 0;  ///< A, A, A by noise and what lies between samples, s
  double step = 1;                         ///< s between samples
  std::size_t together = 1;                ///< samples that are smoothed to tell states
  double noise = 0;                        ///< standard deviation of a sample
  std::vector<LoadState> states;           ///< from the lowest up
  double parts_at = 0;                     ///< A: above it is active; the geometric mean of the lowest and the highest state
  double active_mean = 0, active_share = 0;
  double active_ends = 0;  ///< A: standard uncertainty of its mean, by where between two samples it jumps
  std::vector<Wake> wakes;
  std::vector<std::pair<double, double>> shares;  ///< lg A, and the share of time in each bin
};

LoadProfile profile_of(const std::vector<double>& current, double step, const Settings& settings);

/// @param power  mean of v i, W; nothing where there is no voltage
void add_profile(const LoadProfile& profile, const Settings& settings, const TraceErrors& errors, std::optional<double> power, Reading& into);

}  // namespace heron::study::power
