#include "sim/coloured_noise.h"

#include <cmath>
#include <complex>

#include "base/random.h"
#include "signal/fftw.h"

namespace heron::sim {
ColouredNoise coloured_noise(const std::function<double(double)>& density, double rate, double highest,
                                   std::size_t samples, std::mt19937_64& random) {
  // A longer stretch than asked, whose length transforms fast; its start is as good as any other.
  std::size_t n = 64;
  while (n < samples) n *= 2;
  std::vector<std::complex<double>> spectrum(n / 2 + 1);
  const double bin = rate / double(n);
  // Densities change over decades: within a two-hundred-and-fifty-sixth of a frequency by a straight line.
  for (std::size_t from = 1; from < spectrum.size();) {
    const auto to = std::min(spectrum.size(), from + from / 256 + 1);
    const double first = density(double(from) * bin), step = (density(double(to) * bin) - first) / double(to - from);
    for (auto k = from; k < to; ++k) {
      // One-sided density d: each bin holds d^2 bin of power, half of it in each quadrature.
      const double size = (first + step * double(k - from)) * std::sqrt(bin / 4);
      spectrum[k] = {size * normal_deviate(random), size * normal_deviate(random)};
    }
    from = to;
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
  return {std::move(out), std::sqrt(folded)};
}

}  // namespace heron::sim
