#pragma once
#include <optional>
#include <vector>

#include "signal/crossings.h"
#include "signal/states.h"
#include "study/trace.h"
#include "study/stretch.h"

namespace heron::study::waveform {

/// What one trace shows at large: found in a few passes over a record of any length.
struct Profile {
  Stretch over;
  double low = 0, high = 0;             ///< extremes as sampled
  double noise = 0;                     ///< standard deviation of white noise on each sample
  std::size_t longest_at_low = 0, longest_at_high = 0;  ///< runs of equal samples on the extremes
  std::optional<signal::States> states;
  double middle = 0;                    ///< half way between the states, else between the extremes
  double swing = 0;                     ///< the states' difference, else that of the extremes
  std::vector<signal::Crossing> mids;   ///< through the middle; places in the trace
  /// Two or more whole periods that agree to a tenth.
  bool periodic = false;
};

/// Hysteresis of crossings, of the swing.
inline constexpr double kHysteresis = 0.1;

/// @param over  not empty and inside the trace
Result<Profile> profile_of(const Trace& trace, const TraceErrors& errors, const Stretch& over);

}  // namespace heron::study::waveform
