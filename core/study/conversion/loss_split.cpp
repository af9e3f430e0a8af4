#include "study/conversion/loss_split.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace heron::study::conversion {

std::optional<LossSplit> loss_split(const LoadCurve& curve) {
  Rows rows;
  for (const auto& r : curve.rows)
    if (rows.empty() || r.iout() > rows.back().iout()) rows.push_back(r);
  if (rows.size() < kSplitLoads) return std::nullopt;
  const auto n = Eigen::Index(rows.size());
  const double scale = std::max(std::abs(rows.front().iout()), std::abs(rows.back().iout()));
  const auto fit = [&](const Rows& of) -> Eigen::Vector3d {
    Eigen::MatrixXd a(n, 3);
    Eigen::VectorXd b(n);
    for (Eigen::Index k = 0; k < n; ++k) {
      const double x = of[std::size_t(k)].iout() / scale;
      a.row(k) << 1, x, x * x;
      b(k) = of[std::size_t(k)].loss();
    }
    return a.colPivHouseholderQr().solve(b);
  };
  LossSplit out;
  out.fixed = with_u(rows, [&](const Rows& r) { return fit(r)(0); });
  out.linear = with_u(rows, [&](const Rows& r) { return fit(r)(1) / scale; });
  out.square = with_u(rows, [&](const Rows& r) { return fit(r)(2) / (scale * scale); });
  double squares = 0;
  Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
  for (const auto& r : rows) {
    const double x = r.iout() / scale;
    const Eigen::Vector3d powers(1, x, x * x);
    normal += powers * powers.transpose();
    squares += std::pow(r.loss() - out.at(r.iout()), 2);
  }
  out.residual = std::sqrt(squares / double(n));
  // What the points scatter beyond what is known of them, or what no such sum describes.
  const double freedom = double(n - 3);
  const Eigen::Matrix3d inverse = normal.inverse();
  double expected = 0;  // sum of squares that the points' own errors leave: each times one less its weight in the fit
  bool known = freedom > 0;
  for (const auto& r : rows) {
    const double u = with_u({r}, [](const Rows& one) { return one[0].loss(); }).u_own, x = r.iout() / scale;
    const Eigen::Vector3d powers(1, x, x * x);
    known = known && u > 0;
    expected += u * u * (1 - powers.dot(inverse * powers));
  }
  if (known) {
    const double more = squares > expected * (1 + 3 * std::sqrt(2 / freedom)) ? std::sqrt(squares / expected) : 1;
    for (auto* part : {&out.fixed, &out.linear, &out.square}) part->u_own *= more;
    return out;
  }
  const Eigen::Vector3d scatter = (inverse.diagonal() * squares / std::max(1.0, freedom)).cwiseSqrt();
  out.fixed.u_own = std::max(out.fixed.u_own, scatter(0));
  out.linear.u_own = std::max(out.linear.u_own, scatter(1) / scale);
  out.square.u_own = std::max(out.square.u_own, scatter(2) / (scale * scale));
  return out;
}

}  // namespace heron::study::conversion
