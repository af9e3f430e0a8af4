#pragma once
#include "base/result.h"
#include "study/iv/curve.h"

namespace heron::study::iv {

/// V = n Vt ln(1 + I/Is) + I Rs
struct Diode {
  double ideality = 1, saturation_current = 0, series_resistance = 0;  ///< 1, A, ohm
  double residual = 0;                                                 ///< V rms
  double lowest = 0, highest = 0;                                      ///< A, of the points used
  std::size_t drowned = 0;  ///< points above 0 V that were left out for their noise
};

/// kT/q at a temperature in K. Constants of the SI.
double thermal_voltage(double temperature);

/// Where a limit of the source held: three points or more at the end whose current does not rise any more, within what
/// their own scatter allows, while it had risen as steeply right before. A curve that bends over by itself has none.
/// @return how many points stand before it, its first one included; all where there is none
std::size_t before_plateau(const Sorted& curve);

/// Least squares over the points with a current above zero and above its noise that are not at compliance, from the
/// lowest voltage on from which all are; each voltage weighted by its uncertainty, the current's carried over by the
/// slope, where uncertainties are known.
///
/// Fault::input where n or Is cannot be told from the data: too few points, a resistor, noise.
Result<Diode> fit_diode(const Sorted& curve, double temperature);

}  // namespace heron::study::iv
