#pragma once
#include <optional>
#include <string>

#include "study/response/plan.h"
#include "study/response/reduce.h"

namespace heron::study::response {

/// What a curve shows at one frequency, interpolated; phase only where the curve has one.
struct CursorReading {
  double frequency = 0;  ///< Hz
  double gain_db = 0;
  std::optional<double> phase_deg;
};

/// Nothing outside the curve.
std::optional<CursorReading> read_at(const Curve& curve, double frequency);

/// From cursor A to cursor B.
struct CursorDifference {
  double decades = 0;  ///< lg(B/A)
  double ratio = 1;    ///< B/A
  double gain_db = 0;  ///< B - A
  std::optional<double> phase_deg;
  std::optional<double> db_per_decade;  ///< absent when both stand at one frequency
};
CursorDifference difference(const CursorReading& a, const CursorReading& b);

}  // namespace heron::study::response
