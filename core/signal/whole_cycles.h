#pragma once
#include <complex>
#include <optional>
#include <span>
#include <vector>

/// Records of something periodic, read over a whole number of its cycles: from the first sample to a place between two, by
/// straight lines.
namespace heron::signal {

struct WholeCycles {
  double frequency = 0;    ///< of the fundamental, per sample
  double u_frequency = 0;  ///< standard uncertainty, from the noise
  int count = 0;
  double samples() const { return count / frequency; }  ///< a fraction at the end included
};

/// How many cycles a record holds and of what length. The largest line says where to look; each cycle against the next says
/// how long it is, so that harmonics do not matter.
/// @param values  finite
/// @return nothing where there is no whole cycle or nothing periodic
std::optional<WholeCycles> whole_cycles(std::span<const double> values);

/// Mean over the cycles.
double mean_over(std::span<const double> values, const WholeCycles& cycles);
/// Means of the products of every two rows over the cycles, [row][row].
/// @param rows  at least one, all as long
std::vector<std::vector<double>> mean_products(std::span<const std::vector<double>> rows, const WholeCycles& cycles);

struct Harmonics {
  std::vector<std::complex<double>> peak;  ///< [order - 1]
  double noise = 0;                        ///< variance of what is no harmonic, on each sample, as if it were white
};
/// Peak phasors of the orders 1 to `highest`, as many as lie below half a cycle a sample: x = sum of
/// Re(X_h e^(2 pi i h f t)), t in samples from the first.
///
/// Of eight cycles and more from the record's lines under a four-term window, which holds each harmonic 92 dB off the others
/// and costs one transform; of fewer by their sums over the whole cycles. The noise is what lies between them, where they
/// leave room; else what moves from sample to sample.
Harmonics harmonics_over(std::span<const double> values, const WholeCycles& cycles, int highest);

/// Variance of white noise on either part of a peak phasor, for noise of unit variance on each sample.
double phasor_variance(const WholeCycles& cycles);

}  // namespace heron::signal
