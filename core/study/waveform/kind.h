#pragma once
#include "study/kind.h"

namespace heron::study::waveform {

const Kind& kind();

}  // namespace heron::study::waveform
