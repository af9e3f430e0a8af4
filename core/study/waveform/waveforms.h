#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "study/raw.h"
#include "study/trace.h"
#include "study/waveform/settings.h"

namespace heron::study::waveform {

/// What was read in one go: all quantities over one time.
struct Waveforms {
  int index = 0;                    ///< of the point
  std::vector<TracePtr> traces;     ///< as sensed, then as computed
  std::vector<TraceErrors> errors;  ///< one a trace
  bool measured = false;            ///< with samples of a bench behind it; else a table
  bool triggered = false;           ///< time 0 is where an edge began it
  std::optional<double> waited;     ///< s, where no edge came in time
  std::string deduced;              ///< what was deduced of the times; empty: nothing
  std::vector<double> gaps;         ///< s, where samples are missing: times that step by more than one step

  const TracePtr* find(std::string_view name) const;
  std::size_t place(std::string_view name) const;  ///< traces.size() where there is none
};
using WaveformsPtr = std::shared_ptr<const Waveforms>;

/// A point's record as quantities over time. Fault::input where times go back or repeat, or nothing is over time.
Result<WaveformsPtr> waveforms_of(const Point& point, const Settings& settings);

}  // namespace heron::study::waveform
