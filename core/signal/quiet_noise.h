#pragma once
#include <optional>
#include <span>
#include <vector>

namespace heron::signal {

/// How samples scatter while nothing happens.
struct QuietNoise {
  double deviation = 0;  ///< standard deviation of each sample
  double together = 1;   ///< variance of a sum of neighbours against that of independent ones
};
/// Of a record that has quiet stretches somewhere: by the quietest quarter of pieces of it, each without the line that
/// fits it best, so that a ramp is not taken for noise. Neighbours that err alike are taken for a first-order process, as
/// noise behind one pole is: with a lag-one correlation of r sums vary by (1 + r)/(1 - r) times as much.
/// @param pieces  stretches of neighbouring samples spread over the record, all of one length
/// @return nothing where they have fewer than 8 samples
std::optional<QuietNoise> quiet_noise(std::span<const std::vector<double>> pieces);

}  // namespace heron::signal
