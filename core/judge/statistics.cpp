#include "judge/statistics.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <numbers>

namespace heron::judge {

Statistics statistics(const std::vector<double>& values, std::optional<double> lower, std::optional<double> upper) {
  assert(!values.empty());
  Statistics out{.count = int(values.size())};
  const double n = double(values.size());
  for (const double v : values) out.mean += v / n;
  out.lowest = *std::min_element(values.begin(), values.end());
  out.highest = *std::max_element(values.begin(), values.end());
  if (values.size() < 2) return out;
  double squares = 0;
  for (const double v : values) squares += (v - out.mean) * (v - out.mean);
  out.sigma = std::sqrt(squares / (n - 1));
  if (!(*out.sigma > 0) || (!lower && !upper)) return out;
  // The tail of a normal distribution beyond x: erfc(x / sqrt 2) / 2.
  const auto tail = [&](double away) { return std::erfc(away / *out.sigma / std::numbers::sqrt2) / 2; };
  out.outside = (lower ? tail(out.mean - *lower) : 0) + (upper ? tail(*upper - out.mean) : 0);
  return out;
}

Histogram histogram(const std::vector<double>& values) {
  if (values.empty()) return {};
  const auto [low, high] = std::minmax_element(values.begin(), values.end());
  const int bins = 1 + int(std::ceil(std::log2(double(values.size()))));
  Histogram out{.from = *low, .width = (*high - *low) / bins};
  if (!(out.width > 0) || !std::isfinite(out.width)) return {};
  out.counts.assign(std::size_t(bins), 0);
  for (const double v : values) ++out.counts[std::size_t(std::clamp(int((v - *low) / out.width), 0, bins - 1))];
  return out;
}

}  // namespace heron::judge
