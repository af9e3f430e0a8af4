#pragma once
#include <string>
#include <vector>

#include "study/switching/figures.h"

namespace heron::study::switching {

/// "14.8 A": a value as doubts and findings tell it.
std::string shown(double value, std::string_view unit, int digits = 3);

/// Why figures of a shot should not be trusted.
Result<std::vector<Doubt>> find_doubts(const ReadShot& shot, const Reading& reading, const Settings& settings);

/// What i_d would do to the energies were it later or earlier: per cent of each per nanosecond.
struct SkewCost {
  std::optional<double> on, off;
};
SkewCost skew_cost(const ReadShot& shot, const Settings& settings);

}  // namespace heron::study::switching
