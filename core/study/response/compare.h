#pragma once
#include "study/response/reduce.h"

/// Takes held against each other. Grids that differ are brought together by interpolation in the complex plane: real
/// and imaginary part linear against lg f.
namespace heron::study::response {

/// The curve at other frequencies; those it does not reach are left out. Phase follows the curve's own, without jumps.
Curve on_grid(const Curve& curve, const std::vector<double>& frequencies);

/// True when every frequency of one is a frequency of the other.
bool same_grid(const Curve& a, const Curve& b);

/// a over b at a's frequencies, as gain and phase. Uncertainties of both join.
Curve ratio(const Curve& a, const Curve& b);

/// a minus b as complex numbers at a's frequencies; its gain tells how far apart they are.
Curve difference(const Curve& a, const Curve& b);

/// What several curves have in common, at the frequencies of the first that all reach.
struct Statistics {
  std::vector<double> frequency;
  std::vector<double> mean_db, low_db, high_db, sigma_db;  ///< sigma with n - 1; empty for one curve
  std::vector<double> mean_deg, low_deg, high_deg, sigma_deg;
  int curves = 0;
  bool interpolated = false;  ///< grids differed
};
Statistics statistics(const std::vector<const Curve*>& curves);

}  // namespace heron::study::response
