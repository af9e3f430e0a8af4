#pragma once
#include <optional>

#include "study/response/reduce.h"

/// Taking the fixture off an impedance: what the leads add in series and in parallel, from takes with an open, a short
/// and a known resistor in the device's place.
namespace heron::study::response {

struct Standards {
  std::optional<Curve> open, shorted, load;
  double load_resistance = 1000;  ///< ohm
};

/// Corrects an impedance curve point by point.
///
/// With Zo, Zs the open's and the short's readings: Z = (Zm - Zs)/(1 - (Zm - Zs) Yo), Yo = 1/(Zo - Zs); with a load of
/// known Zl read as Zlm, further times Zl/Zl' where Zl' is the load so corrected (the usual open/short/load
/// correction). Standards read on another frequency grid are interpolated in the complex plane against lg f.
/// Uncertainties of the standards join those of the reading.
/// @return an error where a standard does not reach over the whole curve
Result<void> compensate(Curve& curve, const Standards& standards);

/// A curve's complex value at a frequency: real and imaginary part linear against lg f; nothing outside.
std::optional<std::complex<double>> value_at(const Curve& curve, double frequency);

}  // namespace heron::study::response
