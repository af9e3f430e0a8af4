#pragma once
#include <optional>
#include <span>
#include <vector>

/// A sum of known columns that lies closest to values, and how well its coefficients are known.
namespace heron::signal {

/// y = sum of of[j] times column j, and what is left.
struct LinearFit {
  std::vector<double> of;        ///< one a column
  std::vector<double> each;      ///< standard uncertainty of each for values that err by 1, independently
  std::vector<double> leverage;  ///< one a value: how much of its own error the fit follows, 0 to 1
  double squares = 0;            ///< sum of squares of what is left
  double residual = 0;           ///< standard deviation of that, for the values that are more than the columns; of at least one
};

/// Linear least squares by an orthogonal triangle (any textbook of numerical mathematics).
/// @param columns  each as long as y
/// @return  nothing for fewer values than columns, values that are not finite, and columns that say the same
std::optional<LinearFit> linear_fit(const std::vector<std::vector<double>>& columns, std::span<const double> y);

/// Columns of the powers of x from 0 on.
std::vector<std::vector<double>> powers(std::span<const double> x, std::size_t count);

}  // namespace heron::signal
