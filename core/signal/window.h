#pragma once
#include <complex>
#include <string_view>
#include <vector>

#include "base/result.h"

/// Windows for spectra of records that are not a whole number of periods.
namespace heron::signal {

enum class Window { rectangular, hann, blackman_harris, flat_top };

std::string_view window_text(Window window);  ///< "hann", "blackman_harris"...
/// Fault::usage, with the names there are, for any other.
Result<Window> window_from_text(std::string_view text);

/// The coefficients a of the weights: sum a_j cos(2 pi j k / n).
std::vector<double> window_cosines(Window window);

/// The window's weights, periodic (DFT-even): w[k] = sum a_j cos(2 pi j k / n). Coefficients after F. J. Harris, "On
/// the use of windows for harmonic analysis", Proc. IEEE 66 (1978); the flat top is that of ISO 18431-2.
std::vector<double> window_weights(Window window, std::size_t n);

/// Correlation of what white noise leaves in a line of a windowed spectrum with the k-th line beside it, from k = 0 on:
/// the window's spectrum laid over itself. Zero beyond the end.
std::vector<double> line_correlation(Window window);

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

/// Averages that stretches overlapping by `step` out of `weights.size()` samples are worth, of `count` of them: what
/// lowers the variance of a Welch spectrum (P. D. Welch, IEEE Trans. AU-15 (1967), eq. for overlapping segments).
double independent_averages(const std::vector<double>& weights, std::size_t step, int count);

}  // namespace heron::signal
