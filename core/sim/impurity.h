#pragma once
#include <complex>
#include <span>
#include <vector>

#include "sim/device.h"
#include "sim/small_signal.h"

namespace heron::sim {

/// What a generator gives besides the waveform that it is asked for, before its source resistance. So small that the circuit
/// is linear for it: it is carried to the inputs beside the solution, not solved.
struct Impurity {
  int emf = 0, pin = 0;      ///< unknowns of both ends of the source resistance
  double resistance = 50;    ///< ohm
  double noise = 0;          ///< V/sqrt(Hz), white
  double spur = 0;           ///< V peak, a sine that is no harmonic
  double frequency = 0;      ///< Hz, of that
  double phase = 0;          ///< rad, of that at circuit time 0
};

/// Its noise as a part's: a current through the source resistance does what a voltage in line with it does.
Device::Noise as_noise(const Impurity& impurity);

/// A sine at an input: the real part of amplitude e^(j w t).
struct Spur {
  double w = 0;  ///< rad/s
  std::complex<double> amplitude;
};

/// What the spurs come to at an unknown.
std::vector<Spur> spurs_at(const SmallSignal& circuit, std::span<const Impurity> impurities, int unknown);

/// Adds them to samples, the first of which stands at a circuit time.
void add_spurs(std::span<const Spur> spurs, double first, double rate, std::span<double> into);

}  // namespace heron::sim
