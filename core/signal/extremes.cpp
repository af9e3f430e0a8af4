#include "signal/extremes.h"

#include <Eigen/Core>
#include <algorithm>
#include <cassert>

namespace heron::signal {
namespace {

Eigen::Map<const Eigen::ArrayXd> values_of(std::span<const double> v) {
  assert(!v.empty());
  return {v.data(), Eigen::Index(v.size())};
}

std::size_t place_of(std::span<const double> v, double value) { return std::size_t(std::find(v.begin(), v.end(), value) - v.begin()); }

}  // namespace

std::size_t place_of_highest(std::span<const double> v) { return place_of(v, values_of(v).maxCoeff()); }
std::size_t place_of_lowest(std::span<const double> v) { return place_of(v, values_of(v).minCoeff()); }

}  // namespace heron::signal
