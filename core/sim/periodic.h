#pragma once
#include <stop_token>

#include "sim/transient.h"

namespace heron::sim {

/// Advances a periodically driven transient, fast where the circuit stays linear.
///
/// In a linear circuit what one period does to the state is an affine map; many periods are that map composed with
/// itself, which needs only log2 of their number. The result is what stepping through every period would have given,
/// transients included. Where a device leaves its linear range every period is stepped through, until one ends as it began:
/// those after it are the same.
class PeriodicDrive {
 public:
  /// @param frequency  of everything that drives the circuit, Hz
  PeriodicDrive(Transient& transient, Network& network, double frequency)
      : transient_(transient), network_(network), frequency_(frequency) {}

  /// Lets `seconds` pass.
  Result<void> wait(double seconds, std::stop_token stop);

  /// Lets `seconds` pass and observes every step.
  Result<void> watch(double seconds, const Transient::Observer& observe, std::stop_token stop);

 private:
  Result<void> choose_steps(std::stop_token stop);
  Result<bool> skip_periods(long long periods, std::stop_token stop);
  /// Watches whole periods after a first one that was stepped through: what each step adds to the linear part repeats.
  /// @return the steps that were taken so; fewer than asked where a device leaves its linear range
  Result<long long> watch_linear(long long steps, const Transient::Observer& observe, std::stop_token stop);

  /// Steps through whole periods, and once they repeat no longer.
  Result<void> step_periods(long long periods, const Transient::Observer& observe, std::stop_token stop);

  Transient& transient_;
  Network& network_;
  double frequency_;
  int steps_ = 0;  ///< per period; 0: not yet chosen
};

}  // namespace heron::sim
