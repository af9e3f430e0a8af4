#pragma once
#include <optional>
#include <vector>

/// What the values of one claim over several units or takes come to.
namespace heron::judge {

struct Statistics {
  int count = 0;
  double mean = 0;
  std::optional<double> sigma;          ///< sample standard deviation; of two or more
  double lowest = 0, highest = 0;
  std::optional<double> outside;        ///< share expected beyond the limits, were the values normal; of two or more that differ
};

/// @param values  finite, at least one
/// @param lower, upper  limits in the values' unit
Statistics statistics(const std::vector<double>& values, std::optional<double> lower, std::optional<double> upper);

struct Histogram {
  double from = 0, width = 0;  ///< the first bin's lower edge; of one bin, in the values' unit
  std::vector<int> counts;
};

/// Bins of equal width between the extremes, 1 + log2(n) of them rounded up (Sturges 1926); the last holds its upper edge too.
/// Empty where the values do not differ.
Histogram histogram(const std::vector<double>& values);

}  // namespace heron::judge
