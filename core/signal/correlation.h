#pragma once
#include <span>

namespace heron::signal {

/// How far two go together: -1 to 1 (covariance over both deviations); 0 where either stands still.
double correlation(std::span<const double> x, std::span<const double> y);

}  // namespace heron::signal
