#include "signal/line_at.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "signal/curve.h"

namespace heron::signal {

std::optional<LineAt> line_at_zero(std::span<const double> x, std::span<const double> y, double together) {
  const auto line = fit_line(x, y);
  if (!line) return std::nullopt;
  const double n = double(x.size()), middle = std::accumulate(x.begin(), x.end(), 0.0) / n;
  double xx = 0, squares = 0;
  for (std::size_t k = 0; k < x.size(); ++k) {
    xx += (x[k] - middle) * (x[k] - middle);
    squares += std::pow(y[k] - line->intercept - line->slope * x[k], 2);
  }
  const double scatter = std::sqrt(squares / std::max(1.0, n - 2) * together), u_slope = scatter / std::sqrt(xx);
  return LineAt{line->intercept, std::hypot(scatter / std::sqrt(n), u_slope * middle), line->slope, u_slope};
}

std::vector<double> without_line(std::span<const double> x, std::span<const double> y) {
  std::vector<double> out(y.begin(), y.end());
  const auto line = fit_line(x, y);
  const double mean = std::accumulate(y.begin(), y.end(), 0.0) / double(std::max<std::size_t>(1, y.size()));
  for (std::size_t k = 0; k < out.size(); ++k) out[k] -= line ? line->intercept + line->slope * x[k] : mean;
  return out;
}

}  // namespace heron::signal
