#pragma once
#include <optional>
#include <vector>

#include "signal/crossings.h"
#include "signal/local.h"
#include "study/trace.h"
#include "study/stretch.h"

/// What is found in a trace at or between places, with as little reading as a long record allows.
namespace heron::study {

/// Passages through a level, as CrossingFinder has them; places in the trace.
/// @param hysteresis  half the band, not below zero
Result<std::vector<signal::Crossing>> crossings_of(const Trace& trace, const Stretch& over, double level, double hysteresis);

/// The first place from `from` on (or before it, going back) where the trace is at or beyond a level, rising or falling
/// as it goes; nothing where it never is within [over).
Result<std::optional<double>> first_beyond(const Trace& trace, const Stretch& over, double from, double level, bool above,
                                           bool forward);

/// Where the trace passes a level near a place, with what is known of it: place in samples, value the level.
Result<std::optional<signal::Local>> passage(const Trace& trace, const Stretch& over, double near, double level,
                                             double noise);
/// How steep it is there, in units per sample.
Result<double> slope_at(const Trace& trace, const Stretch& over, double place, double noise);

/// The highest or lowest of a stretch, noise considered: places in the trace.
Result<signal::Local> extreme_of(const Trace& trace, const Stretch& over, double noise, signal::Towards which);

/// The integral of v and of v^2 between two places in samples, and the span between in s. The line between samples runs
/// straight; so does its end.
struct Integrals {
  double value = 0, squares = 0, seconds = 0;
};
Result<Integrals> integrals(const Trace& trace, double from_place, double to_place);

}  // namespace heron::study
