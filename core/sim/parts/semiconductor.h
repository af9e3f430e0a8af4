#pragma once
#include <numbers>

#include "sim/device.h"
#include "sim/parts/smooth.h"

/// What all semiconductor models share (textbook: Sze; Massobrio and Antognetti).
namespace heron::sim::parts {

inline constexpr double kBoltzmann = 1.380649e-23, kElectron = 1.602176634e-19, kZeroCelsius = 273.15;
inline constexpr double kNominalCelsius = 25;
inline constexpr double kGapSilicon = 1.12;  ///< eV

inline double thermal_voltage(double celsius) { return kBoltzmann * (celsius + kZeroCelsius) / kElectron; }

/// A saturation current at another temperature: Is (T/T0)^(xti/n) exp(Eg/(n Vt) (T/T0 - 1)).
inline double saturation_at(double is, double celsius, double n = 1, double xti = 3) {
  const double ratio = (celsius + kZeroCelsius) / (kNominalCelsius + kZeroCelsius);
  return is * std::pow(ratio, xti / n) * std::exp(kGapSilicon / (n * thermal_voltage(celsius)) * (ratio - 1));
}

/// The voltage above which Newton steps of a junction must be held back.
inline double critical_voltage(double is, double thermal) {
  return thermal * std::log(thermal / (std::numbers::sqrt2 * is));
}

/// Is (exp(v/nVt) - 1)
inline Bent junction_current(double v, double is, double thermal) {
  const auto e = smooth_exp(v / thermal);
  return {is * (e.value - 1), is * e.slope / thermal};
}

/// Depletion charge of C0 / (1 - v/phi)^m, the capacitance carried on as a straight line above phi/2.
inline Bent depletion_charge(double v, double c0, double phi, double m) {
  const double edge = 0.5 * phi;
  if (v <= edge) {
    const double s = 1 - v / phi;
    return {c0 * phi / (1 - m) * (1 - std::pow(s, 1 - m)), c0 * std::pow(s, -m)};
  }
  const double c_edge = c0 * std::pow(0.5, -m), rise = c0 * m / phi * std::pow(0.5, -m - 1), d = v - edge;
  const double q_edge = c0 * phi / (1 - m) * (1 - std::pow(0.5, 1 - m));
  return {q_edge + c_edge * d + 0.5 * rise * d * d, c_edge + rise * d};
}

/// A two-terminal current evaluated at `at` instead of the voltage v that stands there: the tangent, taken to v.
inline void stamp_tangent(Stamp& s, int a, int b, Bent i, double at, double v) {
  s.add_current(a, b, i.value + i.slope * (v - at), i.slope);
}
inline void stamp_charge_tangent(Stamp& s, int a, int b, Bent q, double at, double v) {
  s.add_charge(a, b, q.value + q.slope * (v - at), q.slope);
}

}  // namespace heron::sim::parts
