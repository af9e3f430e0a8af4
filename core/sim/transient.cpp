#include "sim/transient.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"

namespace heron::sim {
namespace {

/// Weighted size of a correction: 1 means "just at the tolerance".
double weighted(const State& change, const State& x, const Tolerances& tol) {
  double worst = 0;
  for (std::size_t i = 0; i < x.size(); ++i)
    worst = std::max(worst, std::abs(change[i]) / (tol.absolute + tol.relative * std::abs(x[i])));
  return worst;
}

/// Newton at rest with a leak; true when settled. `scale` brings the sources up (1: full).
bool rest_newton(Network& network, State& x, double leak, double scale, const Tolerances& tol, int& worst_unknown) {
  const auto n = x.size();
  State step(n), without(n);
  for (int pass = 0; pass < tol.newton_steps; ++pass) {
    network.evaluate(x, 0, false);
    without.assign(network.f().begin(), network.f().end());
    network.evaluate(x, 0, true);
    for (std::size_t i = 0; i < n; ++i) {
      step[i] = -(without[i] + scale * (network.f()[i] - without[i]));
      if (int(i) < network.node_count()) step[i] -= leak * x[i];
    }
    if (!network.factor(0, 1, leak)) return false;
    network.solve(step);
    double largest = 0;
    for (std::size_t i = 0; i < n; ++i) {
      if (!std::isfinite(step[i])) return false;
      if (std::abs(step[i]) > largest) {
        largest = std::abs(step[i]);
        worst_unknown = int(i);
      }
    }
    // A linear system takes the whole step; elsewhere no unknown moves by more than 5 V at once.
    const double share = network.always_linear() ? 1 : std::min(1.0, 5 / std::max(largest, 1e-300));
    for (std::size_t i = 0; i < n; ++i) x[i] += share * step[i];
    if (share == 1 && (network.always_linear() || weighted(step, x, tol) < 1)) return true;
  }
  return false;
}

constexpr double kLeak = 1e-12;  ///< S; holds nodes that only capacitors reach

}  // namespace

Result<State> operating_point(Network& network, const Tolerances& tol) {
  State x(std::size_t(network.size()), 0.0);
  int worst = 0;
  if (rest_newton(network, x, kLeak, 1, tol, worst)) return x;
  std::fill(x.begin(), x.end(), 0.0);
  bool settled = true;
  for (double leak = 1e-2; settled && leak >= kLeak * 0.99; leak /= 10)
    settled = rest_newton(network, x, leak, 1, tol, worst);
  if (settled) return x;
  std::fill(x.begin(), x.end(), 0.0);
  settled = true;
  for (int k = 1; settled && k <= 50; ++k) settled = rest_newton(network, x, kLeak, k / 50.0, tol, worst);
  if (settled) return x;
  return fail(Fault::bench, "The circuit has no operating point that can be found: {} does not settle.",
              network.unknown_name(worst));
}

double Step::at(int unknown, double time) const {
  if (unknown < 0) return 0;
  const auto i = std::size_t(unknown);
  const double s = (time - from) / (to - from);
  // Newton's form through s = 0, gamma, 1.
  const double first = (inside[i] - start[i]) / kGamma;
  const double second = ((end[i] - inside[i]) / (1 - kGamma) - first);
  return start[i] + s * (first + (s - kGamma) * second);
}

Transient::Transient(Network& network, State start, double time, Tolerances tolerances)
    : network_(network), tolerances_(tolerances), x_(std::move(start)), time_(time) {
  const auto n = x_.size();
  for (State* s : {&inside_, &next_, &constant_, &residual_, &f0_, &q0_, &f1_, &q1_}) s->assign(n, 0.0);
}

void Transient::set_state(State x, double time) {
  x_ = std::move(x);
  time_ = time;
}

/// Solves q(x) + g_share f(x, time) = constant; algebraic rows: f = 0.
bool Transient::newton(State& x, double time, double g_share, const State& constant) {
  for (int pass = 0; pass < tolerances_.newton_steps; ++pass) {
    network_.evaluate(x, time);
    for (std::size_t i = 0; i < x.size(); ++i) residual_[i] = constant[i] - network_.q()[i] - g_share * network_.f()[i];
    const bool linear = network_.linear_at(x);
    stayed_linear_ = stayed_linear_ && linear;
    if (!linear || factored_share_ != g_share) {
      if (!network_.factor(1, g_share)) return false;
      factored_share_ = linear ? g_share : 0;
    }
    network_.solve(residual_);
    for (std::size_t i = 0; i < x.size(); ++i) {
      if (!std::isfinite(residual_[i])) return false;
      x[i] += residual_[i];
    }
    if ((linear && network_.linear_at(x)) || (!linear && weighted(residual_, x, tolerances_) < 0.1)) return true;
  }
  return false;
}

Result<void> Transient::step(double h, bool estimate) {
  constexpr double g = kGamma;
  const double share = g * h / 2;
  const auto n = x_.size();
  network_.evaluate(x_, time_);
  for (std::size_t i = 0; i < n; ++i) {
    q0_[i] = network_.q()[i];
    f0_[i] = network_.algebraic(int(i)) ? 0 : network_.f()[i];
    constant_[i] = q0_[i] - share * f0_[i];
  }
  inside_ = x_;
  if (!newton(inside_, time_ + g * h, share, constant_))
    return fail(Fault::bench, "The circuit cannot be solved at {}.", format_setting(time_, "s"));
  network_.evaluate(inside_, time_ + g * h);
  for (std::size_t i = 0; i < n; ++i) {
    q1_[i] = network_.q()[i];
    f1_[i] = network_.algebraic(int(i)) ? 0 : network_.f()[i];
    constant_[i] = network_.algebraic(int(i)) ? 0 : (q1_[i] - (1 - g) * (1 - g) * q0_[i]) / (g * (2 - g));
  }
  next_ = inside_;
  if (!newton(next_, time_ + h, share, constant_))
    return fail(Fault::bench, "The circuit cannot be solved at {}.", format_setting(time_, "s"));
  error_ = 0;
  if (estimate) {
    // The embedded third-order difference of the charges, brought to the unknowns through the Jacobian, which keeps
    // it small for stiff parts of the circuit.
    network_.evaluate(next_, time_ + h);
    const double k = (-3 * g * g + 4 * g - 2) / (12 * (2 - g));
    for (std::size_t i = 0; i < n; ++i) {
      const double f2 = network_.algebraic(int(i)) ? 0 : network_.f()[i];
      residual_[i] = 2 * k * h * (-f0_[i] / g + f1_[i] / (g * (1 - g)) - f2 / (1 - g));
    }
    network_.solve(residual_);
    error_ = weighted(residual_, next_, tolerances_);
  }
  return {};
}

Result<void> Transient::run_adaptive(double until, double first_step, double longest_step, const Observer& observe,
                                     std::stop_token stop) {
  double h = std::min(first_step > 0 ? first_step : (until - time_) / 1000, longest_step);
  const double least = 1e-15 * std::max(std::abs(until), until - time_);
  shortest_ = until - time_;
  stayed_linear_ = true;
  while (until - time_ > least) {
    if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
    const bool last = time_ + h * 1.001 >= until;
    const double width = last ? until - time_ : h;
    const auto ok = step(width, true);
    if (!ok || error_ > 1) {
      h = width * (ok ? std::clamp(0.85 / std::cbrt(error_), 0.1, 0.8) : 0.25);
      if (h < least)
        return ok ? fail(Fault::bench, "The step became too small to go on at {}.", format_setting(time_, "s")) : ok;
      continue;
    }
    const double to = last ? until : time_ + width;
    if (observe) observe(Step{time_, to, x_, inside_, next_});
    x_.swap(next_);
    time_ = to;
    if (!last) shortest_ = std::min(shortest_, width);
    const double grow = 0.85 / std::cbrt(std::max(error_, 1e-6));
    // Small changes are not worth a new factorisation.
    if (grow > 1.3) h = std::min(longest_step, width * std::min(grow, 4.0));
  }
  return {};
}

Result<void> Transient::run_fixed(double until, int steps, const Observer& observe, std::stop_token stop) {
  const double from = time_, h = (until - from) / steps;
  stayed_linear_ = true;
  for (int k = 0; k < steps; ++k) {
    if ((k & 255) == 0 && stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
    if (auto ok = step(h, false); !ok) return ok;
    const double to = k + 1 == steps ? until : from + h * (k + 1);
    if (observe) observe(Step{time_, to, x_, inside_, next_});
    x_.swap(next_);
    time_ = to;
  }
  return {};
}

Result<std::vector<State>> Transient::step_matrix(double h) {
  constexpr double g = kGamma;
  const double share = g * h / 2;
  const auto n = x_.size();
  network_.evaluate(x_, time_);
  factored_share_ = 0;
  if (!network_.factor(1, share))
    return fail(Fault::bench, "The circuit cannot be solved at {}.", format_setting(time_, "s"));
  const auto clear_algebraic = [&](State& rows) {
    for (std::size_t i = 0; i < n; ++i)
      if (network_.algebraic(int(i))) rows[i] = 0;
  };
  std::vector<State> columns;
  State unit(n, 0.0), inside(n), end(n), stored(n);
  for (std::size_t j = 0; j < n; ++j) {
    unit[j] = 1;
    network_.multiply(1, -share, unit, inside);
    clear_algebraic(inside);
    network_.solve(inside);
    network_.multiply(1 / (g * (2 - g)), 0, inside, end);
    network_.multiply((1 - g) * (1 - g) / (g * (2 - g)), 0, unit, stored);
    for (std::size_t i = 0; i < n; ++i) end[i] -= stored[i];
    clear_algebraic(end);
    network_.solve(end);
    columns.push_back(end);
    unit[j] = 0;
  }
  return columns;
}

}  // namespace heron::sim
