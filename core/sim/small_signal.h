#pragma once
#include <complex>
#include <vector>

#include "sim/transient.h"

/// The circuit made linear around an operating point: for expectations and for noise, never for figures.
namespace heron::sim {

/// (G + j w C) around a state, factored frequency by frequency.
class SmallSignal {
 public:
  /// @param network  evaluated here at `at`; may be used for other things afterwards
  SmallSignal(Network& network, const State& at);

  /// All unknowns for a unit source in the equation of `row`; empty when the equations are singular there.
  std::vector<std::complex<double>> response(double frequency, int row) const;

  /// What a unit source in each equation does to one unknown (the transposed problem).
  std::vector<std::complex<double>> influence(double frequency, int unknown) const;

 private:
  std::vector<std::complex<double>> solve(double frequency, int row, bool transposed) const;
  std::vector<int> starts_, rows_;
  std::vector<double> g_, c_;
};

/// Density of the noise voltage at an unknown, V/sqrt(Hz), from the parts' own noise.
double noise_density(const SmallSignal& circuit, const std::vector<Device::Noise>& sources, double frequency,
                     int unknown);

}  // namespace heron::sim
