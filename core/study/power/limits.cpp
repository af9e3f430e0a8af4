#include "study/power/limits.h"

#include <algorithm>
#include <cmath>
#include <iterator>

namespace heron::study::power {
namespace {

struct Limit {
  int order;
  double of;
};
constexpr Limit kOdd[] = {{3, 2.30}, {5, 1.14}, {7, 0.77}, {9, 0.40}, {11, 0.33}, {13, 0.21}};  ///< A
constexpr Limit kEven[] = {{2, 1.08}, {4, 0.43}, {6, 0.30}};                                    ///< A
constexpr Limit kShares[] = {{2, 0.02}, {5, 0.10}, {7, 0.07}, {9, 0.05}};                       ///< of the fundamental; the third by the power factor
constexpr Limit kPerWatt[] = {{3, 3.4e-3}, {5, 1.9e-3}, {7, 1.0e-3}, {9, 0.5e-3}, {11, 0.35e-3}};  ///< A/W
constexpr int kHighestOrder = 40;

template <class Table>
std::optional<double> in(const Table& table, int order) {
  for (const auto& limit : table)
    if (limit.order == order) return limit.of;
  return std::nullopt;
}

std::optional<double> class_a(int order) {
  if (order % 2 == 1) {
    if (const auto at = in(kOdd, order)) return at;
    return 0.15 * 15 / order;
  }
  if (const auto at = in(kEven, order)) return at;
  return 0.23 * 8 / order;
}

}  // namespace

std::optional<double> limit_of(LimitClass which, int order, const LimitBasis& basis) {
  if (order < 2 || order > kHighestOrder) return std::nullopt;
  switch (which) {
    case LimitClass::none: return std::nullopt;
    case LimitClass::a: return class_a(order);
    case LimitClass::b: return 1.5 * *class_a(order);
    case LimitClass::c: {
      if (order == 3) return 0.30 * std::abs(basis.power_factor) * basis.fundamental;
      if (const auto at = in(kShares, order)) return *at * basis.fundamental;
      return order % 2 == 1 && order >= 11 ? std::optional(0.03 * basis.fundamental) : std::nullopt;
    }
    case LimitClass::d: {
      if (order % 2 == 0) return std::nullopt;
      const auto at = in(kPerWatt, order);
      return std::min(*class_a(order), (at ? *at : 3.85e-3 / order) * std::abs(basis.power));
    }
  }
  return std::nullopt;
}

}  // namespace heron::study::power
