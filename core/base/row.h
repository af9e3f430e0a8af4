#pragma once
#include <Eigen/Core>
#include <span>

namespace heron {

/// Values as Eigen sees them, for sums and extremes over all of them at once; nothing is copied.
inline Eigen::Map<const Eigen::ArrayXd> row_of(std::span<const double> v) { return {v.data(), Eigen::Index(v.size())}; }

}  // namespace heron
