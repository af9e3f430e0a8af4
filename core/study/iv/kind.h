#pragma once
#include "study/kind.h"

namespace heron::study::iv {

const Kind& kind();

}  // namespace heron::study::iv
