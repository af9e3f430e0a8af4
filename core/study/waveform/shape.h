#pragma once
#include <optional>

#include "study/trace.h"

/// Pulses scaled to one peak: an unchanged shape after a stress says that nothing broke down.
namespace heron::study::waveform {

/// A pulse in per cent of its own peak, over the time from where it first passes half of it. Its samples stay where they
/// lie. Nothing where it has no peak, or no passage of half of it.
Result<std::optional<TracePtr>> scaled_to_peak(const TracePtr& trace, const TraceErrors& errors);

/// How far two scaled pulses differ at most, in per cent of the peak, over the times that both have. Differences are
/// averaged over a two-hundredth of those, so that noise does not choose it. Nothing where they have no time in common.
Result<std::optional<double>> shape_difference(const Trace& a, const Trace& b);

}  // namespace heron::study::waveform
