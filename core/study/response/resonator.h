#pragma once
#include <array>
#include <string_view>

#include "study/kind.h"
#include "study/response/reduce.h"
#include "study/response/settings.h"

/// The equivalent circuit of a piezo or other electromechanical resonator: motional R, L, C in series, beside a shunt
/// capacitance with its loss (IEEE Std 177).
namespace heron::study::response {

struct Resonator {
  double resistance = 0, inductance = 0, capacitance = 0;  ///< motional: ohm, H, F
  double shunt_capacitance = 0, shunt_resistance = 0;      ///< F; ohm in series with it
  std::array<double, 5> u = {};                            ///< standard uncertainties, in that order
  double residual = 0;                                     ///< rms of |Z/Zmodel - 1|

  std::complex<double> impedance(double frequency) const;
};

/// Weighted least squares over ln|Z| and the angle (Levenberg-Marquardt), started from the two resonances.
///
/// Points count by their own uncertainty, those without one alike; the reported uncertainties follow from the
/// covariance, widened where the residuals are larger than the points' uncertainty explains.
/// @param curve  an impedance with phase, at least 8 points, both resonances within
Result<Resonator> fit_resonator(const Curve& curve);

/// "motional.resistance", "motional.inductance", "motional.capacitance", "shunt.capacitance", "shunt.resistance",
/// "fit.residual".
bool is_resonator_figure(std::string_view key);
std::vector<FigureName> resonator_names();
void read_resonator(const Curve& curve, const Settings& settings, Reading& into);

}  // namespace heron::study::response
