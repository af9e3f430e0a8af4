#pragma once
#include "study/iv/curve.h"

namespace heron::study::iv {

/// What lies between the way up and the way down.
struct Loop {
  double opening = 0;     ///< max |I_up - I_down| over max |I|
  double opening_at = 0;  ///< V, where that is
  double area = 0;        ///< W, enclosed
  double rate = 0;        ///< V/s, mean speed of the sweep; 0 where no clock is known
};

/// Rising stretches form the way up, falling ones the way down, over the voltages that both reach; several stretches of
/// one direction are averaged. Nothing for one direction only.
std::optional<Loop> loop_of(const Curve& curve);

}  // namespace heron::study::iv
