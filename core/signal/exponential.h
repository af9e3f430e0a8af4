#pragma once
#include <optional>
#include <span>

namespace heron::signal {

/// a exp(-t/tau) + c as fitted to a record.
struct Exponential {
  double tau = 0;                  ///< s, above zero
  double a = 0, c = 0;             ///< in the record's unit; t from the first sample's time
  double residual = 0;             ///< standard deviation of what the fit leaves
  double u_tau = 0, u_a = 0, u_c = 0;  ///< from the residual and how far it hangs together

  double at(double t) const;
};

/// Least squares with all three free (variable projection over tau).
/// @param times   s, rising, at least 6
/// @param values  as long
/// @return nothing where no time constant between the step and thirty times the span fits best
std::optional<Exponential> fit_exponential(std::span<const double> times, std::span<const double> values);

}  // namespace heron::signal
