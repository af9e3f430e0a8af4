#pragma once
#include "study/iv/curve.h"

namespace heron::study::iv {

/// What lies between the way up and the way down.
struct Loop {
  double opening = 0;     ///< max |I_up - I_down| over max |I|
  double apart = 0;       ///< A, max |I_up - I_down|
  double opening_at = 0;  ///< V, where that is
  double area = 0;        ///< W, enclosed
  double rate = 0;        ///< V/s, mean speed of the sweep; 0 where no clock is known
  std::optional<double> u_opening, u_area;  ///< standard, where the readings' noise is known
};

/// Rising stretches form the way up, falling ones the way down, over the voltages that both reach; several stretches of
/// one direction are averaged. Nothing for one direction only. O(n log n).
///
/// Noise opens a closed loop: where it is known, what it adds to the largest difference and to the area is taken off, by
/// draws of noise on the difference as it is without. A closed loop may then come out a little below zero.
std::optional<Loop> loop_of(const Curve& curve);

/// The widest loop among the curves of a take.
std::optional<Loop> widest_loop(const Family& family);

/// What sweeping ever more slowly did to a loop.
enum class Closing {
  open,      ///< not yet slow enough to tell
  closes,    ///< falls with the rate, or is below what was asked: a capacitance
  persists,  ///< the ways lie hardly less apart after slowing: memory or self-heating
};
struct Pass {
  double rate = 0, opening = 0, apart = 0;  ///< V/s, 1, A
};
inline Pass pass_of(const Loop& loop) { return {loop.rate, loop.opening, loop.apart}; }
/// @param passes  from fast to slow
/// @param wanted  opening that counts as closed
Closing closing_of(std::span<const Pass> passes, double wanted);
/// In a sentence, with the reason.
std::string closing_text(std::span<const Pass> passes, double wanted);

}  // namespace heron::study::iv
