#include "signal/corner.h"

#include <cmath>

namespace heron::signal {
namespace {

constexpr double kStraight = 0.15;  ///< of the turn, that a flank may bend
constexpr double kStands = 3;       ///< times its noise that a tip must lie beyond the sample

}  // namespace

std::optional<double> corner_at(std::span<const double> y, std::size_t k, double noise, Towards which) {
  if (k < 3 || k + 3 >= y.size()) return std::nullopt;
  const double sign = which == Towards::high ? 1 : -1;
  const double left = (y[k - 1] - y[k - 3]) / 2, right = (y[k + 3] - y[k + 1]) / 2, bend = kStraight * std::abs(right - left) + 4 * noise;
  const auto bends = [&](std::size_t j) { return std::abs(y[j - 1] - 2 * y[j] + y[j + 1]) > bend; };
  if (!(sign * left > 0) || !(sign * right < 0) || bends(k - 2) || bends(k + 2)) return std::nullopt;
  const double from_left = (y[k - 1] + y[k - 2] + y[k - 3]) / 3 + 2 * left, from_right = (y[k + 1] + y[k + 2] + y[k + 3]) / 3 - 2 * right;
  const double place = (from_right - from_left) / (left - right), tip = from_left + left * place;
  // A vertex bends at its neighbours as well; a tip lies within a sample of the highest and above it.
  if (!(std::abs(place) <= 1) || !(sign * (tip - y[k]) > kStands * kCornerNoise * noise)) return std::nullopt;
  return tip;
}

}  // namespace heron::signal
