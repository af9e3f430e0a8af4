#include "study/conversion/loss_split.h"

#include <algorithm>
#include <cmath>

#include "signal/linear_fit.h"

namespace heron::study::conversion {

std::optional<LossSplit> loss_split(const LoadCurve& curve) {
  Rows rows;
  for (const auto& r : curve.rows)
    if (rows.empty() || r.iout() > rows.back().iout()) rows.push_back(r);
  if (rows.size() < kSplitLoads) return std::nullopt;
  const double scale = std::max(std::abs(rows.front().iout()), std::abs(rows.back().iout()));
  const auto fit = [&](const Rows& of) {
    std::vector<double> load, loss;
    for (const auto& r : of) {
      load.push_back(r.iout() / scale);
      loss.push_back(r.loss());
    }
    return signal::linear_fit(signal::powers(load, 3), loss);
  };
  const auto as_read = fit(rows);
  if (!as_read) return std::nullopt;
  const auto part = [&](std::size_t power) {
    return with_u(rows, [&](const Rows& r) {
      const auto moved = fit(r);
      return moved ? moved->of[power] / std::pow(scale, double(power)) : NAN;
    });
  };
  LossSplit out{.fixed = part(0), .linear = part(1), .square = part(2), .residual = std::sqrt(as_read->squares / double(rows.size()))};
  // What the points scatter beyond what is known of them, or what no such sum describes.
  const double freedom = double(rows.size() - 3);
  double expected = 0;  // sum of squares that the points' own errors leave: each times what the fit does not follow
  bool known = freedom > 0;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const double u = with_u({rows[k]}, [](const Rows& one) { return one[0].loss(); }).u_own;
    known = known && u > 0;
    expected += u * u * (1 - as_read->leverage[k]);
  }
  const double squares = as_read->squares;
  if (known) {
    const double more = squares > expected * (1 + 3 * std::sqrt(2 / freedom)) ? std::sqrt(squares / expected) : 1;
    for (auto* one : {&out.fixed, &out.linear, &out.square}) one->u_own *= more;
    return out;
  }
  double per = 1;
  std::size_t power = 0;
  for (auto* one : {&out.fixed, &out.linear, &out.square}) {
    one->u_own = std::max(one->u_own, as_read->residual * as_read->each[power++] / per);
    per *= scale;
  }
  return out;
}

}  // namespace heron::study::conversion
