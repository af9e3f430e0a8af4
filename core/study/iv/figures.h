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

/// What one curve has at a cursor.
struct AtCursor {
  double voltage = 0, current = 0, power = 0;     ///< V, A, W
  std::optional<double> conductance, resistance;  ///< S, ohm: dI/dV and its inverse
  std::optional<double> gain;                     ///< current over the stepped current, where a current is stepped
};
/// Nothing outside the data.
std::optional<AtCursor> read_at(const Family& family, const Curve& curve, double voltage);

/// From one cursor to the other.
struct BetweenCursors {
  double voltage = 0, current = 0;   ///< V, A
  std::optional<double> resistance;  ///< ohm; nothing where the current does not change
};
BetweenCursors between(const AtCursor& a, const AtCursor& b);

}  // namespace heron::study::iv
