#pragma once
#include <optional>
#include <vector>

#include "study/conversion/rows.h"
#include "study/waveforms.h"

/// Records in which the source steps between two lines, or the load between two currents.
namespace heron::study::conversion {

/// A stretch in which what is stepped rests.
struct Plateau {
  bool high = false;          ///< of the two states
  double from = 0, to = 0;    ///< s
  double settled_from = 0;    ///< s, from where on it is averaged
  bool counts = true;         ///< false: cut by the record's end and too short
  std::array<std::optional<double>, kPorts> mean = {};  ///< of the settled part
};

/// What the output does about a step of the load.
struct LoadStep {
  double at = 0;              ///< s: the load passes the middle of its step
  bool rises = false;
  double settles_at = 0;      ///< V: mean of the plateau it ends on
  double dip = 0, u_dip = 0, overshoot = 0, u_overshoot = 0;  ///< V, not below zero
  double lowest_at = 0, highest_at = 0;                       ///< s
  std::optional<double> recovery;                             ///< s; unset: it does not come back within the plateau
  double u_recovery = 0;
};

/// Lowest to highest of the output.
struct Ripple {
  double peak_to_peak = 0, u = 0;
  double from = 0, to = 0;  ///< s, where it was read
};

/// A record as it was read.
struct SteppedRecord {
  WaveformsPtr record;
  std::optional<Port> stepped;        ///< what moves between two states; unset: nothing does
  double low = 0, high = 0;           ///< its states
  std::vector<Plateau> plateaus = {};
  std::vector<LoadStep> load_steps = {};
  std::optional<Ripple> ripple = {};
  Rows rows = {};                     ///< one a state; of a record that rests one where input and output are all there
};
using SteppedRecordPtr = std::shared_ptr<const SteppedRecord>;

/// The place of a port's trace in a record; nothing where it is not there.
std::optional<std::size_t> trace_of(const Waveforms& record, Port port);

/// @param source  numbers for the errors that all rows of a take share, by what they are
Result<SteppedRecordPtr> read_steps(WaveformsPtr record, const Settings& settings, int point, const std::function<int(const std::string&)>& source);

}  // namespace heron::study::conversion
