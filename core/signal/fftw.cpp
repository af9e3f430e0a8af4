#include "signal/fftw.h"

#include <algorithm>
#include <map>

namespace heron::signal {

std::mutex& fftw_planner() {
  static std::mutex m;
  return m;
}

namespace {

/// One plan a length, kept: records come in stretches of one length.
const FftwPlan& series_plan(std::size_t n) {
  static std::mutex mutex;
  static std::map<std::size_t, FftwPlan> kept;
  const std::lock_guard lock(mutex);
  const auto it = kept.find(n);
  if (it != kept.end()) return it->second;
  FftwArray<std::complex<double>> in(n / 2 + 1);
  FftwArray<double> out(n);
  return kept.emplace(n, FftwPlan([&] { return fftw_plan_dft_c2r_1d(int(n), in.raw(), out.data(), FFTW_ESTIMATE); })).first->second;
}

}  // namespace

std::vector<double> real_series(std::span<const std::complex<double>> spectrum) {
  const std::size_t n = 2 * (spectrum.size() - 1);
  FftwArray<std::complex<double>> in(spectrum.size());
  FftwArray<double> out(n);
  std::copy(spectrum.begin(), spectrum.end(), in.data());
  series_plan(n).execute_into(in.raw(), out.data());
  return {out.data(), out.data() + n};
}

}  // namespace heron::signal
