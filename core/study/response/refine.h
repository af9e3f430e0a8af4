#pragma once
#include <optional>
#include <string>
#include <vector>

#include "study/response/reduce.h"

/// Where one more point tells most.
namespace heron::study::response {

/// The figures that a sweep is refined for: those asked for; else corners, extremes and crossovers.
std::vector<std::string> refined_figures(const std::vector<std::string>& asked);

/// The frequency at which a further point would lower the largest uncertainty that comes from the points' distance;
/// nothing when each figure's is below the one from noise.
///
/// A figure is read twice, on straight lines between the points and on cubics; where both differ by more than its
/// uncertainty from noise, the place that the cubic points at comes next.
/// @param least  relative difference of a frequency, or in dB or degrees hundred times that, that never matters
std::optional<double> next_frequency(const Curve& curve, const Settings& settings,
                                     const std::vector<std::string>& figures, double least = 1e-5);

}  // namespace heron::study::response
