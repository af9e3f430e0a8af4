#pragma once
#include <string>
#include <vector>

#include "study/spectrum/figures.h"

namespace heron::study::spectrum {

/// Why the figures of a point should not be believed.
/// @param asked  that claims want
Result<std::vector<Doubt>> find_doubts(const PointSpectra& point, const Reading& reading, const Settings& settings,
                                       const std::vector<std::string>& asked);

/// The nearest frequency of which a record holds a whole, odd number of cycles: odd, so that no two periods of a record of
/// an even number of samples are sampled alike.
double coherent_frequency(double frequency, double sample_rate, std::size_t samples);

}  // namespace heron::study::spectrum
