#include "signal/least_squares.h"

#include <Eigen/Dense>
#include <cassert>
#include <cmath>
#include <limits>
#include <unsupported/Eigen/NonLinearOptimization>

#include "signal/linear_fit.h"

namespace heron::signal {
namespace {

std::span<const double> seen(const Eigen::VectorXd& v) { return {v.data(), std::size_t(v.size())}; }

/// As the library's solver asks for it.
struct Asked {
  using Scalar = double;
  using InputType = Eigen::VectorXd;
  using ValueType = Eigen::VectorXd;
  using JacobianType = Eigen::MatrixXd;
  enum { InputsAtCompileTime = Eigen::Dynamic, ValuesAtCompileTime = Eigen::Dynamic };

  const Misses& misses;
  int parameters;

  int inputs() const { return parameters; }
  int values() const { return int(misses.count); }

  int operator()(const Eigen::VectorXd& p, Eigen::VectorXd& out) const {
    misses.of(seen(p), {out.data(), misses.count});
    return 0;
  }
  std::vector<std::vector<double>> columns(const Eigen::VectorXd& p) const {
    std::vector<std::vector<double>> out(std::size_t(parameters), std::vector<double>(misses.count));
    if (misses.slopes) {
      misses.slopes(seen(p), out);
      return out;
    }
    std::vector<double> before(misses.count);
    auto moved = p;
    for (Eigen::Index k = 0; k < parameters; ++k) {
      const double part = std::sqrt(std::numeric_limits<double>::epsilon()), step = p[k] != 0 ? part * std::abs(p[k]) : part;
      auto& column = out[std::size_t(k)];
      moved[k] = p[k] - step;
      misses.of(seen(moved), before);
      moved[k] = p[k] + step;
      misses.of(seen(moved), column);
      moved[k] = p[k];
      for (std::size_t j = 0; j < misses.count; ++j) column[j] = (column[j] - before[j]) / (2 * step);
    }
    return out;
  }
  int df(const Eigen::VectorXd& p, Eigen::MatrixXd& out) const {
    const auto all = columns(p);
    for (std::size_t k = 0; k < all.size(); ++k) out.col(Eigen::Index(k)) = Eigen::VectorXd::Map(all[k].data(), out.rows());
    return 0;
  }
};

}  // namespace

std::optional<LeastSquares> least_squares(const Misses& misses, const std::vector<double>& start, const Near& near) {
  assert(!start.empty() && start.size() <= misses.count);
  Asked asked{misses, int(start.size())};
  Eigen::VectorXd p = Eigen::VectorXd::Map(start.data(), Eigen::Index(start.size()));
  Eigen::LevenbergMarquardt<Asked> solver(asked);
  solver.parameters.maxfev = near.most;
  solver.parameters.xtol = near.parameters;
  solver.parameters.ftol = near.squares;
  solver.minimize(p);
  if (!p.allFinite()) return std::nullopt;
  std::vector<double> left(misses.count);
  misses.of(seen(p), left);
  LeastSquares out{.of = {p.begin(), p.end()}, .each = {}, .squares = Eigen::VectorXd::Map(left.data(), Eigen::Index(left.size())).squaredNorm()};
  if (!std::isfinite(out.squares)) return std::nullopt;
  if (const auto around = linear_fit(asked.columns(p), left)) out.each = around->each;
  return out;
}

}  // namespace heron::signal
