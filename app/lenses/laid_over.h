#pragma once
#include <vector>

#include "app/desk.h"
#include "app/readings.h"

namespace heron::app {

/// Another take that is looked at with the one in view.
struct LaidOver {
  TakeViewPtr view;
  bool wake = false;  ///< it lies behind all others
};

/// The wake first, then what lies over the take in view, as far as it has been read; never the take in view itself.
std::vector<LaidOver> laid_over(Desk& desk);

}  // namespace heron::app
