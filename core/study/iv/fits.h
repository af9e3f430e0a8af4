#pragma once
#include <string>
#include <utility>
#include <vector>

#include "study/iv/curve.h"
#include "study/iv/settings.h"

namespace heron::study::iv {

/// A line that a figure was read from, to be drawn over its curve.
struct FitLine {
  std::string words;                            ///< what came of it, its residual and the range it rests on
  std::vector<std::pair<double, double>> line;  ///< V, A
  double from = 0, to = 0;                      ///< V, of the points used
};

/// The fits behind the figures of a family: of a junction its equation; of a family on the axis `output` the lines
/// through the saturated parts; on the axis `transfer` the tangent at the highest slope. Nothing where none holds.
std::vector<FitLine> fits_of(const Family& family, const Settings& settings);

}  // namespace heron::study::iv
