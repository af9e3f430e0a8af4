#pragma once
#include "study/kind.h"

namespace heron::study::spectrum {

const Kind& kind();

}  // namespace heron::study::spectrum
