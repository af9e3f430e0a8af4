#include "sim/small_signal.h"

#include <klu.h>

#include <cmath>
#include <numbers>

namespace heron::sim {

using Complex = std::complex<double>;

SmallSignal::SmallSignal(Network& network, const State& at) {
  network.evaluate(at, 0, {.at_rest = false});
  starts_.assign(network.starts().begin(), network.starts().end());
  rows_.assign(network.rows().begin(), network.rows().end());
  g_.assign(network.conductances().begin(), network.conductances().end());
  c_.assign(network.capacitances().begin(), network.capacitances().end());
}

std::vector<Complex> SmallSignal::solve(double frequency, int row, bool transposed) const {
  const double w = 2 * std::numbers::pi * frequency;
  std::vector<double> values(2 * g_.size());
  for (std::size_t k = 0; k < g_.size(); ++k) {
    values[2 * k] = g_[k];
    values[2 * k + 1] = w * c_[k];
  }
  auto starts = starts_, rows = rows_;
  const int n = int(starts.size()) - 1;
  klu_common common;
  klu_defaults(&common);
  auto* symbolic = klu_analyze(n, starts.data(), rows.data(), &common);
  auto* numeric = symbolic ? klu_z_factor(starts.data(), rows.data(), values.data(), symbolic, &common) : nullptr;
  std::vector<Complex> x;
  if (numeric && common.status == KLU_OK) {
    x.assign(std::size_t(n), 0.0);
    x[std::size_t(row)] = 1;
    auto* right = reinterpret_cast<double*>(x.data());
    if (transposed)
      klu_z_tsolve(symbolic, numeric, n, 1, right, 0, &common);
    else
      klu_z_solve(symbolic, numeric, n, 1, right, &common);
  }
  klu_z_free_numeric(&numeric, &common);
  klu_free_symbolic(&symbolic, &common);
  return x;
}

std::vector<Complex> SmallSignal::response(double frequency, int row) const { return solve(frequency, row, false); }

std::vector<Complex> SmallSignal::influence(double frequency, int unknown) const {
  return solve(frequency, unknown, true);
}

double noise_density(const SmallSignal& circuit, const std::vector<Device::Noise>& sources, double frequency,
                     int unknown) {
  const auto reach = circuit.influence(frequency, unknown);
  if (reach.empty()) return 0;
  const auto at = [&](int row) { return row < 0 ? Complex(0) : reach[std::size_t(row)]; };
  double square = 0;
  for (const auto& s : sources) square += std::norm(s.density * (at(s.into) - at(s.from)));
  return std::sqrt(square);
}

}  // namespace heron::sim
