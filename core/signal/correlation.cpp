#include "signal/correlation.h"

#include <cmath>
#include <numeric>

namespace heron::signal {

double correlation(std::span<const double> x, std::span<const double> y) {
  const double n = double(x.size());
  const double mx = std::accumulate(x.begin(), x.end(), 0.0) / n, my = std::accumulate(y.begin(), y.end(), 0.0) / n;
  double xx = 0, yy = 0, xy = 0;
  for (std::size_t k = 0; k < x.size(); ++k) {
    xx += (x[k] - mx) * (x[k] - mx);
    yy += (y[k] - my) * (y[k] - my);
    xy += (x[k] - mx) * (y[k] - my);
  }
  return xx > 0 && yy > 0 ? xy / std::sqrt(xx * yy) : 0;
}

}  // namespace heron::signal
