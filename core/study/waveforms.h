#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "study/raw.h"
#include "study/trace.h"
#include "study/watch.h"

namespace heron::study {

/// An edge or a pulse that a record was to begin with.
struct Edge {
  std::string quantity;
  double level = 0;     ///< in its unit
  double patience = 0;  ///< s
  std::optional<double> pulse = {};  ///< s, where it was a pulse narrower or wider than this
};

using bench::Coding;

/// What was read in one go: all quantities over one time.
struct Waveforms {
  int index = 0;                    ///< of the point
  std::vector<TracePtr> traces;     ///< as sensed, then as computed
  std::vector<TraceErrors> errors;  ///< one a trace
  std::vector<std::optional<Coding>> codes;  ///< one a trace: of the device's own converter, where it is that
  std::string stimulus = {};        ///< the quantity that is what drives, where it is sensed; empty: none is
  bool measured = false;            ///< with samples of a bench behind it; else a table
  double fastest = 0;               ///< Hz, that the bench's inputs reach; 0: not known
  bool triggered = false;           ///< time 0 is where an edge began it
  std::optional<Edge> waits_for;    ///< what it was to begin with, where that was an edge

  /// No edge came in time; the samples are those of that moment.
  bool missed() const { return waits_for && !triggered; }
  std::vector<double> expected_swing;  ///< one a trace, in its unit, from lowest to highest; 0: nothing was foreseen
  std::string deduced;              ///< what was deduced of the times; empty: nothing
  std::vector<double> gaps;         ///< s, where samples are missing: times that step by more than one step

  const TracePtr* find(std::string_view name) const;
  std::size_t place(std::string_view name) const;  ///< traces.size() where there is none
  /// The quantity that a watch looks at: the one it names, or the only one; traces.size() where there is none.
  std::size_t watched(const Watch& watch) const;
  std::size_t samples() const;  ///< of all quantities
  std::size_t bytes() const;    ///< that its traces take
};
using WaveformsPtr = std::shared_ptr<const Waveforms>;

/// What a table or a hookup does not say of its times.
struct TimesSaid {
  std::optional<double> start, step = {};  ///< s, of a table without a column of times
  std::optional<double> bandwidth = {};    ///< Hz of the chain
};

/// A point's record as quantities over time. Fault::input where times go back or repeat, or nothing is over time.
/// @param without_times  what an error advises where there is no column of times
Result<WaveformsPtr> waveforms_of(const Point& point, const TimesSaid& said, std::string_view without_times, std::size_t record = 0);

}  // namespace heron::study
