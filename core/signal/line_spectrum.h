#pragma once
#include <span>
#include <vector>

#include "signal/window.h"

namespace heron::signal {

/// The spectrum of one stretch, each line as the rms of the sine that would give it.
struct LineSpectrum {
  double line = 0;          ///< Hz between lines
  std::vector<double> rms;  ///< lines 0 to n/2; line 0 is the mean's magnitude

  /// The line that is largest, the mean left aside.
  std::size_t largest() const;
};

/// Scaled by the window's coherent gain, so that a sine in the middle of a line stands at its rms (Harris 1978). The
/// last sample of an odd number is left out.
/// @param values  at least eight
LineSpectrum line_spectrum(std::span<const double> values, double sample_rate, Window window);

}  // namespace heron::signal
