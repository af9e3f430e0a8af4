#pragma once
#include <optional>

#include "study/conversion/rows.h"

namespace heron::study::conversion {

/// The highest efficiency of a curve, and the output current (A) it lies at.
struct Maximum {
  Value efficiency, at;
};
/// Vertex of the parabola through the highest point and its neighbours; that point itself where it stands at an end.
/// Nothing where no power goes in.
std::optional<Maximum> highest_efficiency(const LoadCurve& curve);

}  // namespace heron::study::conversion
