#pragma once
#include <span>

#include "base/result.h"

/// Sine waves in records: least-squares fits after IEEE Std 1057.
namespace heron::signal {

/// A sine peak * cos(2 pi f t + phase) + dc as fitted to a record, t = 0 at its first sample.
struct Tone {
  double frequency = 0;    ///< Hz
  double peak = 0;         ///< in the record's unit
  double phase = 0;        ///< rad, in (-pi, pi]
  double dc = 0;           ///< in the record's unit
  double residual = 0;     ///< rms of what the fit leaves, in the record's unit
  double u_frequency = 0;  ///< standard uncertainties; u_frequency is 0 where the frequency was given
  double u_peak = 0;
  double u_phase = 0;
  double u_dc = 0;
};

/// Least-squares sine at a known frequency (IEEE Std 1057, three-parameter fit).
///
/// Exact for any record length, whole periods or not; use fit_tone_free() when the source and the record do not share a
/// clock. O(n), no allocation; reads the record once, and a second time only where the residual is so small against
/// the signal that the sums of squares cannot tell it.
///
/// @param samples     uniformly spaced, at least 4, all finite
/// @param sample_rate in Hz, positive
/// @param frequency   in Hz, in (0, sample_rate/2)
/// @return the tone, or an error that names the argument that is out of range
Result<Tone> fit_tone(std::span<const double> samples, double sample_rate, double frequency);

/// Least-squares sine with its frequency (IEEE Std 1057, four-parameter fit: Gauss-Newton from a starting frequency).
///
/// Converges when `near` is within about half a period in the record of the true frequency; costs some ten passes.
/// @param samples at least 5
Result<Tone> fit_tone_free(std::span<const double> samples, double sample_rate, double near);

/// Standard uncertainty of the tone's peak from the noise in its neighbourhood: what the record holds three to six
/// lines beside the tone, on both sides, once the tone is taken off (mean of a periodogram; 8 to 16 degrees of
/// freedom).
///
/// Larger than Tone::u_peak where the noise is not white but gathers around the tone; the fit alone cannot see that.
/// Zero for records too short to have neighbours.
double u_peak_nearby(std::span<const double> samples, double sample_rate, const Tone& tone);

/// The tone's value at a time after the first sample, in s.
double value_at(const Tone& tone, double time);

}  // namespace heron::signal
