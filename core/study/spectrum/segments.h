#pragma once
#include <vector>

#include "signal/window.h"
#include "study/spectrum/settings.h"

namespace heron::study::spectrum {

/// How records are cut into stretches that are transformed each.
struct Segments {
  std::size_t length = 0, step = 0;  ///< samples
};
/// Fault::input where the records are too short.
Result<Segments> segments_of(std::size_t samples, const Settings& settings);

/// What the segments of several records are worth: those that overlap tell less than as many of their own.
/// @param segments  of each record
double independent(signal::Window window, const Segments& cut, const std::vector<int>& segments);

}  // namespace heron::study::spectrum
