#include "signal/fftw.h"

#include <algorithm>

namespace heron::signal {

std::mutex& fftw_planner() {
  static std::mutex m;
  return m;
}

std::vector<double> real_series(std::span<const std::complex<double>> spectrum) {
  const std::size_t n = 2 * (spectrum.size() - 1);
  FftwArray<std::complex<double>> in(spectrum.size());
  FftwArray<double> out(n);
  const FftwPlan plan([&] { return fftw_plan_dft_c2r_1d(int(n), in.raw(), out.data(), FFTW_ESTIMATE); });
  std::copy(spectrum.begin(), spectrum.end(), in.data());
  plan.execute();
  return {out.data(), out.data() + n};
}

}  // namespace heron::signal
