#include "signal/line_spectrum.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <complex>
#include <numbers>
#include <numeric>

#include "signal/fftw.h"

namespace heron::signal {

std::size_t LineSpectrum::largest() const {
  return std::size_t(std::max_element(rms.begin() + 1, rms.end()) - rms.begin());
}

LineSpectrum line_spectrum(std::span<const double> values, double sample_rate, Window window) {
  const auto n = values.size() / 2 * 2;
  assert(n >= 2);
  FftwArray<double> in(n);
  FftwArray<std::complex<double>> out(n / 2 + 1);
  const FftwPlan plan([&] { return fftw_plan_dft_r2c_1d(int(n), in.data(), out.raw(), FFTW_ESTIMATE); });
  const auto weights = window_weights(window, n);
  const double gain = std::accumulate(weights.begin(), weights.end(), 0.0);
  for (std::size_t k = 0; k < n; ++k) in[k] = values[k] * weights[k];
  plan.execute();
  LineSpectrum spectrum{.line = sample_rate / double(n), .rms = {}};
  spectrum.rms.reserve(n / 2 + 1);
  for (std::size_t k = 0; k <= n / 2; ++k) {
    // What lies at half the sample rate, as what stands still, has no mirror image to be joined with.
    const bool alone = k == 0 || k == n / 2;
    spectrum.rms.push_back(std::abs(out[k]) / gain * (alone ? 1 : std::numbers::sqrt2));
  }
  return spectrum;
}

}  // namespace heron::signal
