#pragma once

namespace heron {

/// What the computer's clocks tell at one instant, s each from some beginning of its own.
struct Clocks {
  double of_day = 0;      ///< jumps when it is set
  double with_sleep = 0;  ///< never jumps, goes on while the computer sleeps
  double awake = 0;       ///< never jumps, stands while it sleeps

  /// What happened from an earlier instant to this one.
  double slept_since(const Clocks& before) const { return (with_sleep - before.with_sleep) - (awake - before.awake); }
  double set_since(const Clocks& before) const { return (of_day - before.of_day) - (with_sleep - before.with_sleep); }
};

Clocks read_clocks();

}  // namespace heron
