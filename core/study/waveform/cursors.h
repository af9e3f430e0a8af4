#pragma once
#include <optional>

#include "study/trace.h"

namespace heron::study::waveform {

/// What lies between two cursors on a trace.
struct Between {
  double seconds = 0;     ///< from the first to the second, signed
  double first = 0, second = 0, difference = 0;  ///< values, in the trace's unit
  double mean = 0, rms = 0;                      ///< over what lies between
};

/// Both ends interpolated; nothing where one lies outside the record, or both are one.
Result<std::optional<Between>> read_between(const Trace& trace, double a, double b);

}  // namespace heron::study::waveform
