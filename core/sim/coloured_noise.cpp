#include "sim/coloured_noise.h"

#include <cmath>
#include <complex>

#include "signal/fftw.h"

namespace heron::sim {
std::vector<double> coloured_noise(const std::function<double(double)>& density, double rate, double highest,
                                   std::size_t samples, std::mt19937_64& random) {
  std::normal_distribution<double> normal;
  // A longer stretch than asked, whose length transforms fast; its start is as good as any other.
  std::size_t n = 64;
  while (n < samples) n *= 2;
  std::vector<std::complex<double>> spectrum(n / 2 + 1);
  const double bin = rate / double(n);
  for (std::size_t k = 1; k < spectrum.size(); ++k) {
    // One-sided density d: each bin holds d^2 bin of power, half of it in each quadrature.
    const double size = density(double(k) * bin) * std::sqrt(bin / 4);
    spectrum[k] = {size * normal(random), size * normal(random)};
  }
  auto out = signal::real_series(spectrum);
  out.resize(samples);
  double folded = 0;
  constexpr int kPieces = 24;
  for (int k = 0; k < kPieces && highest > rate / 2; ++k) {
    const double ratio = std::log(2 * highest / rate) / kPieces, low = rate / 2 * std::exp(k * ratio),
                 high = rate / 2 * std::exp((k + 1) * ratio);
    folded += std::pow(density(std::sqrt(low * high)), 2) * (high - low);
  }
  if (folded > 0)
    for (auto& v : out) v += std::sqrt(folded) * normal(random);
  return out;
}

}  // namespace heron::sim
