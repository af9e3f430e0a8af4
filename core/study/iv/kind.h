#pragma once
#include "study/iv/curve.h"
#include "study/kind.h"

namespace heron::study::iv {

const Kind& kind();

/// Current over voltage of the first stretch; of a family one column a curve.
Columns as_columns(const Family& family);

}  // namespace heron::study::iv
