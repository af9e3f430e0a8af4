#pragma once
#include <complex>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "signal/window.h"

/// The lines of one record's spectrum under any window that is a sum of cosines: transformed once, windowed afterwards.
namespace heron::signal {

/// What a window is to a spectrum, as ratios; of a periodic window of any length.
struct WindowFacts {
  std::vector<double> cosines;  ///< a_j
  int reach = 1;                ///< a tone's main lobe has so many lines either side of it
  double coherent_gain = 1;     ///< mean of the weights
  double power_gain = 1;        ///< mean of their squares
  double noise_bandwidth = 1;   ///< lines (Harris 1978: equivalent noise bandwidth)
  double tone_variance = 1;     ///< what the sum over a main lobe costs a tone's power in noise: mean w^4 / (mean w^2)^2
  double line_variance = 1;     ///< what its lines' correlation costs a sum of noise lines: sum of the squared correlations
};
WindowFacts facts_of(Window window);

/// What a window makes of a tone so many lines away, its gain at zero the coherent one.
/// @param samples  of the record
std::complex<double> window_kernel(const std::vector<double>& cosines, double lines_away, std::size_t samples);

/// A sine peak cos(2 pi place t / samples + phase), t in samples.
struct LineTone {
  double place = 0;  ///< lines from zero
  double peak = 0;
  double phase = 0;
  double power() const { return peak * peak / 2; }
};

/// O(n log n) once; every window after that is O(lines).
class RecordLines {
 public:
  /// @param values  at least 8; the last of an odd number is left out
  explicit RecordLines(std::span<const double> values);
  ~RecordLines();
  RecordLines(RecordLines&&) noexcept;

  std::size_t samples() const { return samples_; }
  std::size_t lines() const { return samples_ / 2 + 1; }

  /// Mean of v e^(-2 pi i k t / n) over the windowed samples; any k, those below zero mirrored.
  std::complex<double> at(std::ptrdiff_t k, const std::vector<double>& cosines) const;

  /// Adds to each line the power that it holds: lines of noise add up to its mean square.
  void add_power(const WindowFacts& window, std::vector<double>& into) const;

  /// Takes a sine off all lines, its leakage over the whole spectrum included.
  void take_off(const LineTone& tone);

  /// The sine whose main lobe has its top at about this line, with its own mirror image taken into account; nothing where
  /// no sine fits.
  std::optional<LineTone> tone_near(std::size_t line, const WindowFacts& window) const;

 private:
  std::size_t samples_;
  struct Lines;
  std::unique_ptr<Lines> plain_;
};

/// Standard uncertainties of a tone read by tone_near() in white noise.
struct ToneUncertainty {
  double place = 0, peak = 0;
};
/// @param noise  mean square of white noise on each sample
ToneUncertainty u_of(const LineTone& tone, const WindowFacts& window, Window which, std::size_t samples, double noise);

}  // namespace heron::signal
