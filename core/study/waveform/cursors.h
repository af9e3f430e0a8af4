#pragma once
#include <optional>

#include "study/trace.h"
#include "study/waveforms.h"

namespace heron::study::waveform {

/// What lies between two cursors on a trace.
struct Between {
  double seconds = 0;     ///< from the first to the second, signed
  double first = 0, second = 0, difference = 0;  ///< values, in the trace's unit
  double mean = 0, rms = 0;                      ///< over what lies between
  double integral = 0;                           ///< of the value over time, in the unit times s; from the earlier to the later
  double slope = 0;                              ///< of the line through both ends, in the unit per s
};

/// Both ends interpolated; nothing where one lies outside the record, or both are one.
Result<std::optional<Between>> read_between(const Trace& trace, double a, double b);

/// Where two cursors go, s.
struct Cursors {
  double a = 0, b = 0;
};

/// Around the first transition of a part of a record: where it passes two per cents of its states (IEEE 181: 0 is the
/// low state, 100 the high one), in the order in which it does. Nothing where the part has no two states or no transition.
/// @param from, to  s, the part that is looked at
/// @param near, far  per cent of the states, near < far
Result<std::optional<Cursors>> at_states(const Waveforms& pass, std::size_t trace, double from, double to, double near,
                                         double far);

/// Of a decay that never settles: where it first falls through two per cents of what it was at the start of the part. The
/// start is the median of the part's first fiftieth. Nothing where it does not come so far.
/// @param near, far  per cent of the starting value, near > far
Result<std::optional<Cursors>> of_start(const Waveforms& pass, std::size_t trace, double from, double to, double near,
                                        double far);

}  // namespace heron::study::waveform
