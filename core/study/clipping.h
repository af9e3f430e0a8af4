#pragma once
#include <cstddef>
#include <optional>

#include "base/result.h"
#include "study/trace.h"

namespace heron::study {

/// Samples that rest on the ends of what a trace reaches.
struct AtEnds {
  double low = 0, high = 0;
  std::size_t longest_low = 0, longest_high = 0;  ///< runs of equal samples there
  std::size_t in_runs = 0;                        ///< samples in runs of three or more
  bool two_levels = false;                        ///< nothing lies between the ends
};
/// @param first, last  of the samples that are looked at: [first, last), not empty
Result<AtEnds> at_ends(const Trace& trace, std::size_t first, std::size_t last);

/// The end that a trace stands against.
struct Clipped {
  double at = 0;
  std::size_t samples = 0;  ///< of the longest run there
};
/// Of a known range where a run of three stands at an end, else where more than 5 % of the samples are in such runs.
std::optional<Clipped> clipped(const AtEnds& ends, const TraceErrors& errors, std::size_t samples);

}  // namespace heron::study
