#pragma once
#include <optional>
#include <vector>

#include "study/switching/edge.h"

/// How late i_d is against v_ds, as the record itself tells.
namespace heron::study::switching {

/// While the other device carries current, the loop's stray inductance takes v_ds away from the bus by L di/dt, so that
/// the integral of the difference follows the current: where it does with what delay is the skew.
struct Skew {
  double value = 0, u = 0;    ///< s, above zero where i_d lags
  double inductance = 0;      ///< H, of the loop
};

/// Of one event; nothing where no inductive step stands out of the noise.
std::optional<Skew> skew_of(const Core& core, const Event& event);

/// Of both, combined by their uncertainties; more uncertain where they disagree.
std::optional<Skew> combined(const std::vector<Skew>& all);

/// What i_d has of its own slope in it, as a shunt's inductance gives: s, the inductance over the resistance; told apart
/// from a skew by which of both fits better. Nothing where a skew explains it as well.
std::optional<double> slope_pickup(const Core& core, const Event& event);

}  // namespace heron::study::switching
