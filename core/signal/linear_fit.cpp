#include "signal/linear_fit.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cassert>
#include <cmath>
#include <functional>

namespace heron::signal {
namespace {

constexpr double kSame = 1e-9;  ///< of its size: what is left of a column that the others say already

}  // namespace

std::optional<LinearFit> linear_fit(const std::vector<std::vector<double>>& columns, std::span<const double> y) {
  const auto n = Eigen::Index(y.size()), terms = Eigen::Index(columns.size());
  if (n < terms || terms == 0) return std::nullopt;
  Eigen::MatrixXd a(n, terms);
  for (Eigen::Index j = 0; j < terms; ++j) {
    const auto& column = columns[std::size_t(j)];
    assert(column.size() == y.size());
    a.col(j) = Eigen::VectorXd::Map(column.data(), n);
  }
  const auto values = Eigen::VectorXd::Map(y.data(), n);
  if (!a.allFinite() || !values.allFinite()) return std::nullopt;
  // Henries may stand beside seconds: each column in its own size.
  const Eigen::VectorXd size = a.colwise().norm();
  if (!(size.minCoeff() > 0)) return std::nullopt;
  a.array().rowwise() /= size.transpose().array();
  Eigen::ColPivHouseholderQR<Eigen::MatrixXd> solver(a);
  solver.setThreshold(kSame);
  if (solver.rank() < terms) return std::nullopt;
  const Eigen::VectorXd scaled = solver.solve(values), of = scaled.cwiseQuotient(size);
  // a = Q R P': what (a' a) is the inverse of, by its square root R^-1.
  const Eigen::MatrixXd root = solver.colsPermutation() * Eigen::MatrixXd(solver.matrixR().topLeftCorner(terms, terms).triangularView<Eigen::Upper>().solve(Eigen::MatrixXd::Identity(terms, terms)));
  const Eigen::VectorXd each = root.rowwise().norm().cwiseQuotient(size), leverage = (a * root).rowwise().squaredNorm();
  LinearFit out{.of = {of.begin(), of.end()}, .each = {each.begin(), each.end()}, .leverage = {leverage.begin(), leverage.end()}, .squares = (values - a * scaled).squaredNorm()};
  out.residual = std::sqrt(out.squares / double(std::max<Eigen::Index>(1, n - terms)));
  return out;
}

std::vector<std::vector<double>> powers(std::span<const double> x, std::size_t count) {
  std::vector<std::vector<double>> out(count, std::vector<double>(x.size(), 1));
  for (std::size_t j = 1; j < count; ++j) std::transform(x.begin(), x.end(), out[j - 1].begin(), out[j].begin(), std::multiplies<>());
  return out;
}

}  // namespace heron::signal
