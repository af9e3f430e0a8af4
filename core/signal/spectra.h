#pragma once
#include <complex>
#include <memory>
#include <span>
#include <vector>

#include "signal/window.h"

/// Auto- and cross-spectra of two records by averaging over stretches (Welch's method), for frequency responses from
/// noise: H1, H2 and coherence.
namespace heron::signal {

struct SpectraSetup {
  std::size_t segment = 4096;  ///< samples, even, at least 8
  double overlap = 0.5;        ///< share of a segment, 0 up to below 1
  Window window = Window::hann;
};

/// Mean spectra, lines 0 to segment/2, one common scale.
struct Spectra {
  double line = 0;  ///< Hz between lines
  std::vector<double> xx, yy;
  std::vector<std::complex<double>> xy;  ///< mean of conj(X) Y
  int segments = 0;
  double independent = 0;  ///< what the overlapping segments are worth
};

/// Gathers spectra record by record, so that they can be looked at while more come.
///
/// O(n log segment); the records are not kept. Means are taken off record by record, since a window would smear them
/// over the lowest lines.
class SpectraSum {
 public:
  /// @param setup  must have passed check()
  SpectraSum(const SpectraSetup& setup, double sample_rate);
  ~SpectraSum();
  SpectraSum(SpectraSum&&) noexcept;

  /// Adds all whole segments of a pair of records of one length; shorter ones than a segment add nothing.
  void add(std::span<const double> x, std::span<const double> y);
  Spectra mean() const;

 private:
  struct Work;
  std::unique_ptr<Work> work_;
};

Result<void> check(const SpectraSetup& setup);

/// How many segments a record holds.
int segment_count(const SpectraSetup& setup, std::size_t samples);

/// |Sxy|^2/(Sxx Syy), between 0 and 1; 0 where a channel is silent.
double coherence(const Spectra& spectra, std::size_t line);

/// Relative standard uncertainty of |H| (and its angle in rad) at a coherence and a number of independent averages:
/// sqrt((1 - g2)/(2 g2 n)) (Bendat and Piersol, Random Data).
double u_of_response(double coherence, double independent);

/// The same where the coherence is itself read from few averages, which makes it look better than it is: n less one is
/// what is left for it, and the ratio then spreads like Student's t of 2 (n - 1) degrees (Bendat and Piersol, F
/// distribution of the error circle). As u_of_response() for many averages.
double u_of_line(double coherence, double independent);

}  // namespace heron::signal
