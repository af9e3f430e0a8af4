#pragma once
#include <string_view>

#include "study/figure.h"
#include "study/iv/curve.h"
#include "study/iv/settings.h"
#include "study/kind.h"

namespace heron::study::iv {

/// Figures that need no parameter, for each curve of a family where they belong to one, and those asked for:
/// "current@2V", "gain.current@5V,20uA". A curve of a family goes by its step: "knee.voltage@5".
///
/// Uncertainties come from 48 seeded draws of the readings' errors: noise for each reading, gain and offset of a range
/// for all readings on it. Tables without uncertainties give figures without.
Reading read(const Family& family, const Settings& settings, const std::vector<std::string>& asked);

/// Fault::usage for what is no figure of this kind, or has no number where one belongs.
Result<void> check_figure_key(std::string_view key);

std::vector<FigureName> figure_names();

/// Figures of one curve's slope between two voltages, its power, and so on, at a cursor. Nothing outside the data.
struct AtCursor {
  double voltage = 0, current = 0, power = 0;     ///< V, A, W
  std::optional<double> conductance, resistance;  ///< S, ohm: dI/dV and its inverse
};
std::optional<AtCursor> read_at(const Curve& curve, double voltage);

}  // namespace heron::study::iv
