#pragma once
#include <vector>

#include "bench/bench.h"

/// Ranges of inputs that look for theirs by a rehearsal: for every kind that cannot look while it reads.
namespace heron::study {

/// The same with the widest range where none is fixed.
std::vector<bench::InputSetup> on_widest(std::vector<bench::InputSetup> inputs, const std::vector<double>& ranges);

/// The largest magnitude of a record, V.
double highest_of(const bench::ChannelRecord& channel);

/// The smallest range that the highest value fits into with a tenth of room; else the widest.
double range_that_fits(double highest, const std::vector<double>& ranges);

/// Where none is fixed: the smallest range that the highest value seen fits into with a tenth of room.
/// @param highest  V, of each input
void fix_ranges(std::vector<bench::InputSetup>& inputs, const std::vector<double>& highest, const std::vector<double>& ranges);

}  // namespace heron::study
