#pragma once
#include <optional>
#include <string>
#include <vector>

#include "study/figure.h"

/// What repetitions of one take have in common, and how far they differ.
namespace heron::study {

/// One figure over the repetitions that have it; at least one.
struct Repeated {
  std::string key, label, unit;
  std::vector<double> values;  ///< in the order of the repetitions...
  std::vector<int> passes;     ///< ...and which they are
  double mean = 0;
  std::optional<double> sigma = {};  ///< sample standard deviation; of two or more
  std::size_t lowest = 0, highest = 0;  ///< places in `values`; the first of equal ones
};

/// Every figure that any of them has, in the order of the first that has it. What is not finite is left out.
/// @param numbers  of the passes, as many as readings
std::vector<Repeated> repeated(const std::vector<Reading>& passes, const std::vector<int>& numbers);

/// How many values fall into equal bins from the lowest to the highest value; the last bin has its upper end. As many bins
/// as the square root of the values, 1 to 30; one where all are equal.
struct Histogram {
  double low = 0, width = 0;  ///< of the first bin; 0 where all are equal
  std::vector<int> counts;
};
/// @param values  finite, at least one
Histogram histogram(const std::vector<double>& values);

}  // namespace heron::study
