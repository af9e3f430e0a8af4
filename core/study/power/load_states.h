#pragma once
#include <cstddef>
#include <span>
#include <utility>
#include <vector>

namespace heron::study::power {

/// A level that a current stays at.
struct LoadState {
  double level = 0;    ///< A, mean of what is there
  double share = 0;    ///< of the time
  double samples = 0;  ///< that its level is the mean of
  int stretches = 0;   ///< in which the current stays there
};

struct LoadStates {
  std::size_t together = 1;                       ///< samples that are smoothed to tell states
  std::vector<std::pair<double, double>> shares;  ///< lg A, and the share of time in each bin
  std::vector<LoadState> states;                  ///< from the lowest up
};

/// States by a histogram of lg |i|: where the current stays in one go for at least the state time and lies a factor of two from
/// the next.
/// @param current     A, finite, evenly sampled, at least one
/// @param noise       standard deviation of a sample, A
/// @param state_time  that a state lasts at least, share of the whole
LoadStates states_of(std::span<const double> current, double noise, double state_time);

}  // namespace heron::study::power
