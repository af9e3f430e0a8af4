#pragma once
#include <string>
#include <vector>

#include "study/spectrum/figures.h"

namespace heron::study::spectrum {

/// Why the figures of a point should not be believed.
/// @param asked  that claims want
Result<std::vector<Doubt>> find_doubts(const PointSpectra& point, const Reading& reading, const Settings& settings,
                                       const std::vector<std::string>& asked);

/// What an input reads by itself, shorted, on one of its ranges.
struct OwnNoise {
  std::string quantity;
  double range = 0;   ///< in the quantity
  double power = 0;   ///< mean square about the mean, unit squared
};
/// Of every quantity of a record that was taken with the inputs shorted.
Result<std::vector<OwnNoise>> own_noise(const Waveforms& shorted);
/// The noise of a point that is its inputs' own, to within 6 dB.
void check_own_noise(const PointSpectra& point, const std::vector<OwnNoise>& own, std::vector<Doubt>& out);

/// The nearest frequency of which a record holds a whole, odd number of cycles: odd, so that no two periods of a record of
/// an even number of samples are sampled alike.
double coherent_frequency(double frequency, double sample_rate, std::size_t samples);
/// As it is typed: whole cycles want all digits; what is round needs none.
std::string frequency_text(double frequency);

}  // namespace heron::study::spectrum
