#include "study/repeated.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace heron::study {

std::vector<Repeated> repeated(const std::vector<Reading>& passes, const std::vector<int>& numbers) {
  assert(passes.size() == numbers.size());
  std::vector<Repeated> out;
  for (std::size_t k = 0; k < passes.size(); ++k)
    for (const auto& figure : passes[k].figures) {
      if (!std::isfinite(figure.value)) continue;
      auto it = std::find_if(out.begin(), out.end(), [&](const Repeated& one) { return one.key == figure.key; });
      if (it == out.end()) it = out.insert(out.end(), Repeated{figure.key, figure.label, figure.unit, {}, {}});
      it->values.push_back(figure.value);
      it->passes.push_back(numbers[k]);
    }
  for (auto& one : out) {
    const double n = double(one.values.size());
    for (const double v : one.values) one.mean += v / n;
    double squares = 0;
    for (const double v : one.values) squares += (v - one.mean) * (v - one.mean);
    if (one.values.size() > 1) one.sigma = std::sqrt(squares / (n - 1));
    one.lowest = std::size_t(std::min_element(one.values.begin(), one.values.end()) - one.values.begin());
    one.highest = std::size_t(std::max_element(one.values.begin(), one.values.end()) - one.values.begin());
  }
  return out;
}

Histogram histogram(const std::vector<double>& values) {
  assert(!values.empty());
  const auto [low, high] = std::minmax_element(values.begin(), values.end());
  Histogram out{.low = *low, .counts = {}};
  const double span = *high - *low;
  if (!(span > 0)) {
    out.counts = {int(values.size())};
    return out;
  }
  constexpr double kMost = 30;
  const auto bins = std::size_t(std::clamp(std::round(std::sqrt(double(values.size()))), 1.0, kMost));
  out.width = span / double(bins);
  out.counts.assign(bins, 0);
  for (const double v : values) ++out.counts[std::min(bins - 1, std::size_t((v - *low) / out.width))];
  return out;
}

}  // namespace heron::study
