#pragma once
#include "study/kind.h"

namespace heron::study::conversion {

/// Efficiency, regulation, dropout, ripple and load steps of what converts one voltage into another.
const Kind& kind();

}  // namespace heron::study::conversion
