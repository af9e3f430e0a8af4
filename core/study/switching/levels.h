#pragma once
#include <optional>

#include "signal/line_at.h"
#include "signal/states.h"
#include "study/stretch.h"
#include "study/switching/sensed.h"

/// What the quantities of a shot rest at.
namespace heron::study::switching {

/// A level that something rests at, near an event.
struct Rest {
  double value = 0, u = 0;
};

/// [first, last) of the samples within two times.
Stretch within(const Trace& trace, double from, double to);

/// What it rests at, and how well that is known: the mean of its last samples within two times; nothing under two of them.
Result<std::optional<Rest>> rest_of(const Sensed& s, double from, double to);

/// A straight line through its last samples within two times, at another; nothing under four of them.
Result<std::optional<signal::LineAt>> line_of(const Sensed& s, double from, double to, double at);

/// The two levels that v_ds rests at; nothing where it has but one.
Result<std::optional<signal::States>> states_of(const Trace& trace, const Stretch& over);

}  // namespace heron::study::switching
