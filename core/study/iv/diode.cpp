#include "study/iv/diode.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <unsupported/Eigen/NonLinearOptimization>

#include "signal/curve.h"

namespace heron::study::iv {
namespace {

constexpr double kBoltzmann = 1.380649e-23, kCharge = 1.602176634e-19;

/// Parameters: ln n, ln Is, Rs over a scale. Rs may pass through zero while it is looked for.
struct Misfit {
  using Scalar = double;
  using InputType = Eigen::VectorXd;
  using ValueType = Eigen::VectorXd;
  using JacobianType = Eigen::MatrixXd;
  enum { InputsAtCompileTime = Eigen::Dynamic, ValuesAtCompileTime = Eigen::Dynamic };

  std::vector<double> voltage, current, weight;
  double vt = 0, ohms = 1;

  int inputs() const { return 3; }
  int values() const { return int(voltage.size()); }
  double model(const Eigen::VectorXd& p, double i) const {
    return std::exp(p[0]) * vt * std::log1p(i / std::exp(p[1])) + p[2] * ohms * i;
  }
  int operator()(const Eigen::VectorXd& p, Eigen::VectorXd& out) const {
    for (std::size_t k = 0; k < voltage.size(); ++k)
      out[Eigen::Index(k)] = weight[k] * (voltage[k] - model(p, current[k]));
    return 0;
  }
  int df(const Eigen::VectorXd& p, Eigen::MatrixXd& out) const {
    const double n = std::exp(p[0]), is = std::exp(p[1]);
    for (std::size_t k = 0; k < voltage.size(); ++k) {
      const auto row = Eigen::Index(k);
      out(row, 0) = -weight[k] * n * vt * std::log1p(current[k] / is);
      out(row, 1) = weight[k] * n * vt * current[k] / (is + current[k]);
      out(row, 2) = -weight[k] * ohms * current[k];
    }
    return 0;
  }
};

/// Points at the end whose current does not rise any more while the voltage does: a limit that held.
std::size_t without_plateau(const std::vector<const CurvePoint*>& points) {
  constexpr double kSame = 1e-4;
  std::size_t end = points.size();
  if (end < 4) return end;
  const double top = points.back()->current;
  std::size_t first = end;
  while (first > 0 && std::abs(points[first - 1]->current - top) <= kSame * top) --first;
  return end - first >= 3 && points.back()->voltage > points[first]->voltage ? first + 1 : end;
}

}  // namespace

double thermal_voltage(double temperature) { return kBoltzmann * temperature / kCharge; }

Result<Diode> fit_diode(const Curve& curve, double temperature) {
  std::vector<const CurvePoint*> kept;
  for (const auto& p : curve.points)
    if (p.current > 0 && p.voltage > 0 && p.usable()) kept.push_back(&p);
  std::sort(kept.begin(), kept.end(), [](const auto* a, const auto* b) { return a->voltage < b->voltage; });
  kept.resize(without_plateau(kept));
  if (kept.size() < 5) return fail(Fault::input, "at least 5 points with a current above zero are needed");
  Misfit misfit{.voltage = {}, .current = {}, .weight = {}, .vt = thermal_voltage(temperature)};
  for (std::size_t k = 0; k < kept.size(); ++k) {
    const auto& p = *kept[k];
    misfit.voltage.push_back(p.voltage);
    misfit.current.push_back(p.current);
    double u = 0;
    if (p.u_voltage && p.u_current) {
      const auto &before = *kept[k > 0 ? k - 1 : 0], &after = *kept[std::min(k + 1, kept.size() - 1)];
      const double rise = after.current - before.current;
      const double slope = rise > 0 ? (after.voltage - before.voltage) / rise : 0;
      u = std::hypot(std::hypot(p.u_voltage->noise, p.u_voltage->shared),
                     slope * std::hypot(p.u_current->noise, p.u_current->shared));
    }
    misfit.weight.push_back(u > 0 ? 1 / u : 1);
  }
  if (std::any_of(misfit.weight.begin(), misfit.weight.end(), [](double w) { return w == 1; }))
    misfit.weight.assign(misfit.weight.size(), 1);
  const double highest = *std::max_element(misfit.current.begin(), misfit.current.end()),
               lowest = *std::min_element(misfit.current.begin(), misfit.current.end());
  if (!(highest > lowest * (1 + 1e-9))) return fail(Fault::input, "all points have one current");
  misfit.ohms = std::max(1e-9, (misfit.voltage.back() - misfit.voltage.front()) / highest);

  // The lower half of the points, where a series resistance matters least, gives n and Is to begin with.
  std::vector<double> logs, volts;
  for (std::size_t k = 0; k < std::max<std::size_t>(3, kept.size() / 2); ++k) {
    logs.push_back(std::log(misfit.current[k]));
    volts.push_back(misfit.voltage[k]);
  }
  const auto line = signal::fit_line(logs, volts);
  std::optional<Eigen::VectorXd> best;
  double best_cost = 0;
  Eigen::VectorXd residuals(misfit.values());
  for (const double ideality : {line && line->slope > 0 ? line->slope / misfit.vt : 1.0, 1.0, 2.0}) {
    const double n = std::clamp(ideality, 0.3, 100.0);
    const double is = std::clamp(misfit.current[0] / std::expm1(std::min(600.0, misfit.voltage[0] / (n * misfit.vt))),
                                 1e-40, highest);
    Eigen::VectorXd p(3);
    p << std::log(n), std::log(is), 0.0;
    Eigen::LevenbergMarquardt<Misfit> solver(misfit);
    solver.parameters.maxfev = 1000;
    solver.parameters.xtol = 1e-14;
    solver.parameters.ftol = 1e-16;
    solver.minimize(p);
    if (!p.allFinite()) continue;
    misfit(p, residuals);
    if (const double cost = residuals.squaredNorm(); std::isfinite(cost) && (!best || cost < best_cost)) {
      best = p;
      best_cost = cost;
    }
  }
  const auto untold = fail(Fault::input,
                           "n and the saturation current cannot be told from these points: they lie on a line as well "
                           "as on a junction's curve");
  if (!best) return untold;
  Eigen::MatrixXd jacobian(misfit.values(), 3);
  misfit.df(*best, jacobian);
  const double variance = std::max(best_cost / std::max(1.0, double(misfit.values() - 3)), 1e-300);
  const Eigen::Matrix3d covariance =
      (jacobian.transpose() * jacobian).completeOrthogonalDecomposition().pseudoInverse() * variance;
  const double n = std::exp((*best)[0]), is = std::exp((*best)[1]);
  // A bend that is no larger than what a straight line misses too tells nothing of a junction.
  const double bend =
      n * misfit.vt * (std::log1p(highest / is) - std::log1p(lowest / is) - (highest - lowest) / (is + highest));
  double squares = 0;
  for (std::size_t k = 0; k < kept.size(); ++k)
    squares += std::pow(misfit.voltage[k] - misfit.model(*best, misfit.current[k]), 2);
  const double rms = std::sqrt(squares / double(kept.size()));
  if (!(n > 0.2 && n < 50) || !(is > 1e-38) || !(is < highest) || !(bend > 3 * rms) || !(bend > 0.2 * misfit.vt) ||
      std::sqrt(covariance(0, 0)) > 0.3 || std::sqrt(covariance(1, 1)) > 3)
    return untold;
  return Diode{.ideality = n,
               .saturation_current = is,
               .series_resistance = (*best)[2] * misfit.ohms,
               .residual = rms,
               .lowest = lowest,
               .highest = highest};
}

}  // namespace heron::study::iv
