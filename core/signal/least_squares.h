#pragma once
#include <functional>
#include <optional>
#include <span>
#include <vector>

/// Parameters that bring a bent model closest to values.
namespace heron::signal {

/// What a model misses values by.
struct Misses {
  std::size_t count = 0;  ///< of values
  /// Each over its weight.
  std::function<void(std::span<const double> parameters, std::span<double> out)> of;
  /// How they go with each parameter, one column a parameter, as long as there are values. Without it: central differences.
  std::function<void(std::span<const double> parameters, std::vector<std::vector<double>>& columns)> slopes = {};
};

struct LeastSquares {
  std::vector<double> of;    ///< the parameters
  std::vector<double> each;  ///< their standard uncertainties for misses that err by 1; empty where the values do not tell them apart
  double squares = 0;        ///< of the misses
};

/// When it is near enough.
struct Near {
  double parameters = 1e-12, squares = 1e-14;  ///< relative change of a step
  int most = 4000;                             ///< times that the misses are worked out
};

/// By the method of Levenberg and Marquardt (any textbook of numerical mathematics).
/// @param start  what each parameter is looked for from; no more of them than values
/// @return  nothing where it leads to no finite parameters
std::optional<LeastSquares> least_squares(const Misses& misses, const std::vector<double>& start, const Near& near = {});

}  // namespace heron::signal
