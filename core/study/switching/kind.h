#pragma once
#include "study/kind.h"

namespace heron::study::switching {

/// Energies, delays, slopes and recovery of a device through a double pulse.
const Kind& kind();

}  // namespace heron::study::switching
