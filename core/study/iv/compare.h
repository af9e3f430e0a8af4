#pragma once
#include "study/iv/curve.h"

namespace heron::study::iv {

/// A family held against another: every current becomes its difference from the other's curve of the same step at the
/// same voltage, in per cent of that. Curves without a counterpart and points beyond it are left out; so are points
/// where the other's current is below a ten-thousandth of its highest, which would be compared with nothing.
Family against(const Family& family, const Family& other);

}  // namespace heron::study::iv
