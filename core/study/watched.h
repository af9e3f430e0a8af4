#pragma once
#include <functional>
#include <utility>
#include <vector>

#include "study/waveforms.h"

namespace heron::study {

/// The figures of every watch over a record; those whose quantity is not there, or is in another unit, are absent.
/// @param over  samples [first, last) of a trace that are looked at
Result<void> read_watches(const Waveforms& record, const std::vector<Watch>& watches, const std::function<std::pair<std::size_t, std::size_t>(std::size_t trace)>& over,
                          Reading& into);

}  // namespace heron::study
