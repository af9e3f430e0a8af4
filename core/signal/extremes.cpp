#include "signal/extremes.h"

#include <algorithm>
#include <cassert>

#include "base/row.h"

namespace heron::signal {
namespace {

std::size_t place_of(std::span<const double> v, double value) {
  assert(!v.empty());
  return std::size_t(std::find(v.begin(), v.end(), value) - v.begin());
}

}  // namespace

std::size_t place_of_highest(std::span<const double> v) { return place_of(v, row_of(v).maxCoeff()); }
std::size_t place_of_lowest(std::span<const double> v) { return place_of(v, row_of(v).minCoeff()); }

}  // namespace heron::signal
