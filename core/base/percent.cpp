#include "base/percent.h"

#include <fmt/format.h>

#include <cmath>

namespace heron {

std::string in_percent(double share) {
  // Two digits of what rounds to a hundred or more would need an exponent.
  constexpr double kThree = 99.5;
  const double percent = 100 * share;
  return std::abs(percent) >= kThree ? fmt::format("{:.0f} %", percent) : fmt::format("{:.2g} %", percent);
}

}  // namespace heron
