#pragma once
#include <optional>
#include <vector>

#include "signal/crossings.h"
#include "signal/local.h"
#include "signal/states.h"
#include "study/trace.h"

namespace heron::study::waveform {

/// A stretch of a trace that is read: [first, last).
struct Stretch {
  std::size_t first = 0, last = 0;
  std::size_t size() const { return last - first; }
};

/// What one trace shows at large: found in a few passes over a record of any length.
struct Profile {
  Stretch over;
  double low = 0, high = 0;             ///< extremes as sampled...
  std::size_t low_at = 0, high_at = 0;  ///< ...and where, in the trace
  double mean = 0, rms = 0;
  double noise = 0;                     ///< standard deviation of white noise on each sample
  std::size_t longest_at_low = 0, longest_at_high = 0;  ///< runs of equal samples on the extremes
  std::size_t at_extremes = 0;          ///< samples in runs of three or more on the extremes
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

/// The first place from `from` on (or before it, going back) where the trace is at or beyond a level, rising or falling
/// as it goes; nothing where it never is within [over).
Result<std::optional<double>> first_beyond(const Trace& trace, const Stretch& over, double from, double level, bool above,
                                           bool forward);

/// Where the trace passes a level near a place, with what is known of it: place in samples, value the level.
Result<std::optional<signal::Local>> passage(const Trace& trace, const Stretch& over, double near, double level,
                                             double noise);
/// How steep it is there, in units per sample.
Result<double> slope_at(const Trace& trace, const Stretch& over, double place, double noise);

/// The highest (sign 1) or lowest (-1) of a stretch, noise considered: places in the trace.
Result<signal::Local> extreme_of(const Trace& trace, const Stretch& over, double noise, double sign);

/// The integral of v and of v^2 between two places in samples, and the span between in s. The line between samples runs
/// straight; so does its end.
struct Integrals {
  double value = 0, squares = 0, seconds = 0;
};
Result<Integrals> integrals(const Trace& trace, double from_place, double to_place);

}  // namespace heron::study::waveform
