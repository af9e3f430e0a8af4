#pragma once
#include "study/iv/curve.h"

namespace heron::study::iv {

/// V = n Vt ln(1 + I/Is) + I Rs
struct Diode {
  double ideality = 1, saturation_current = 0, series_resistance = 0;  ///< 1, A, ohm
  double residual = 0;                                                 ///< V rms
  double lowest = 0, highest = 0;                                      ///< A, of the points used
};

/// kT/q at a temperature in K. Constants of the SI.
double thermal_voltage(double temperature);

/// Least squares over the points with a current above zero that are not at compliance; each voltage weighted by its
/// uncertainty, the current's carried over by the slope, where uncertainties are known.
///
/// Fault::input where n or Is cannot be told from the data: too few points, a resistor.
Result<Diode> fit_diode(const Curve& curve, double temperature);

}  // namespace heron::study::iv
