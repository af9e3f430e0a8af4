#include "signal/fftw.h"

#include <algorithm>

namespace heron::signal {

std::mutex& fftw_planner() {
  static std::mutex m;
  return m;
}

const FftwPlan& FftwPlans::of(std::size_t n) {
  const std::lock_guard lock(mutex_);
  if (const auto it = kept_.find(n); it != kept_.end()) return it->second;
  FftwArray<double> real(n);
  FftwArray<std::complex<double>> lines(n / 2 + 1);
  return kept_.emplace(n, FftwPlan([&] { return make_(int(n), real.data(), lines.raw()); })).first->second;
}

std::vector<double> real_series(std::span<const std::complex<double>> spectrum) {
  const std::size_t n = 2 * (spectrum.size() - 1);
  FftwArray<std::complex<double>> in(spectrum.size());
  FftwArray<double> out(n);
  std::copy(spectrum.begin(), spectrum.end(), in.data());
  static FftwPlans plans([](int samples, double* real, fftw_complex* lines) { return fftw_plan_dft_c2r_1d(samples, lines, real, FFTW_ESTIMATE); });
  plans.of(n).execute_into(in.raw(), out.data());
  return {out.data(), out.data() + n};
}

}  // namespace heron::signal
