#pragma once
#include <optional>

#include "bench/bench.h"

namespace heron::sim {

/// Looks through samples for what a record shall begin with. The signal must first have been beyond the level by the
/// hysteresis, on the side that it comes from.
class TriggerFinder {
 public:
  /// @param away   V of hysteresis
  /// @param first  samples that must have come before what counts
  TriggerFinder(const bench::TriggerSetup& setup, double away, double rate, double first)
      : setup_(setup), away_(away), rate_(rate), first_(first) {}

  /// The next sample, V at the input.
  /// @return where it came, in samples from the first one, between them linearly
  std::optional<double> look(double value);

  long long looked() const { return looked_; }

 private:
  bool counts(double place) const { return place >= first_ && place / rate_ >= setup_.hold_off; }

  bench::TriggerSetup setup_;
  double away_, rate_, first_;
  long long looked_ = 0;
  double last_ = 0;      ///< sample before, as distance beyond the level
  bool armed_ = false;
  std::optional<double> began_;  ///< of a pulse that is on
  std::optional<double> ended_;  ///< where it fell back through the level, while that may still be noise
};

}  // namespace heron::sim
