#pragma once
#include "study/kind.h"

namespace heron::study::power {

const Kind& kind();

}  // namespace heron::study::power
