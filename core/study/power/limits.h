#pragma once
#include <optional>
#include <vector>

#include "study/power/settings.h"

namespace heron::study::power {

/// What a class allows depends on.
struct LimitBasis {
  double fundamental = 0;  ///< A rms, of the current: class C
  double power_factor = 0;  ///< class C, third harmonic
  double power = 0;        ///< W: class D
};

/// The most that IEC 61000-3-2 (edition 5, tables 1 to 3) allows of a harmonic current, A rms; nothing where the class has no
/// limit for the order.
std::optional<double> limit_of(LimitClass which, int order, const LimitBasis& basis);

}  // namespace heron::study::power
