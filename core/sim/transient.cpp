#include "sim/transient.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"

namespace heron::sim {
namespace {

/// Weighted size of a correction: 1 means "just at the tolerance".
double weighted(const State& change, const State& size, const Tolerances& tol, int& worst_unknown) {
  double worst = 0;
  for (std::size_t i = 0; i < size.size(); ++i) {
    const double here = std::abs(change[i]) / (tol.absolute + tol.relative * size[i]);
    if (here > worst) {
      worst = here;
      worst_unknown = int(i);
    }
  }
  return worst;
}

State sizes(const State& x) {
  State out(x.size());
  for (std::size_t i = 0; i < x.size(); ++i) out[i] = std::abs(x[i]);
  return out;
}

/// How one attempt at an operating point goes about it.
struct Attempt {
  double leak = 0;          ///< S from every node to ground
  double source_share = 1;  ///< of all sources
  double longest = 0;       ///< V or A that any unknown may move in one step; 0: no bound
  int steps = 60;
};

bool rest_newton(Network& network, State& x, const Attempt& how, const Tolerances& tol, int& worst) {
  const auto n = x.size();
  State step(n);
  for (int pass = 0; pass < how.steps; ++pass) {
    network.evaluate(x, 0, {.source_share = how.source_share, .at_rest = true, .limiting = true});
    const bool limited = network.limited();
    for (std::size_t i = 0; i < n; ++i) {
      step[i] = -network.f()[i];
      if (int(i) < network.node_count()) step[i] -= how.leak * x[i];
    }
    if (!network.factor(0, 1, how.leak)) return false;
    network.solve(step);
    double largest = 0;
    for (std::size_t i = 0; i < n; ++i) {
      if (!std::isfinite(step[i])) {
        worst = int(i);
        return false;
      }
      largest = std::max(largest, std::abs(step[i]));
    }
    const double share = how.longest > 0 && largest > how.longest ? how.longest / largest : 1;
    for (std::size_t i = 0; i < n; ++i) x[i] += share * step[i];
    if (network.always_linear()) return true;
    // Newton has doubled its digits by then; the last step makes Kirchhoff's law as good as the voltages.
    if (weighted(step, sizes(x), tol, worst) < 1e-2 && share == 1 && !limited) return true;
  }
  return false;
}

constexpr double kLeak = 1e-18;  ///< S; holds nodes that only capacitors reach, and no device notices it
constexpr double kBeyondSense = 1e9;

}  // namespace

Result<State> operating_point(Network& network, const Tolerances& tol) {
  const State zero(std::size_t(network.size()), 0.0);
  State x = zero;
  int worst = 0;
  const auto restart = [&] {
    x = zero;
    network.forget_junctions();
    return true;
  };
  const auto by_leak = [&] {
    restart();
    for (double leak = 1e-2; leak >= 1e-15; leak /= 10)
      if (!rest_newton(network, x, {.leak = leak, .steps = 100}, tol, worst)) return false;
    return rest_newton(network, x, {.leak = kLeak, .steps = 100}, tol, worst);
  };
  // Sources come up by steps that shrink where it gets hard.
  const auto by_sources = [&] {
    restart();
    double share = 0, step = 0.05;
    for (int tries = 0; tries < 100 && share < 1 && step > 1e-5; ++tries) {
      State tried = x;
      const double next = std::min(1.0, share + step);
      if (rest_newton(network, tried, {.leak = kLeak, .source_share = next, .steps = 60}, tol, worst)) {
        x = std::move(tried);
        share = next;
        step = std::min(step * 2, 0.1);
      } else {
        step /= 4;
      }
    }
    return share >= 1;
  };
  const bool settled =
      (restart() && rest_newton(network, x, {.leak = kLeak}, tol, worst)) ||
      (restart() && rest_newton(network, x, {.leak = kLeak, .longest = 2, .steps = 500}, tol, worst)) || by_leak() ||
      by_sources();
  if (!settled)
    return fail(Fault::bench, "The circuit has no operating point that can be found: {} does not settle.",
                network.unknown_name(worst));
  for (int i = 0; i < network.size(); ++i)
    if (std::abs(x[std::size_t(i)]) > kBeyondSense)
      return fail(Fault::bench, "The circuit has no operating point: {} {}.",
                  i < network.node_count() ? "nothing carries the current that flows into"
                                           : "nothing limits the current through",
                  network.unknown_name(i));
  return x;
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
  size_ = sizes(x_);
}

void Transient::set_state(State x, double time) {
  x_ = std::move(x);
  time_ = time;
  for (std::size_t i = 0; i < x_.size(); ++i) size_[i] = std::max(size_[i], std::abs(x_[i]));
  next_step_ = 0;
}

/// Solves q(x) + g_share f(x, time) = constant; algebraic rows: f = 0.
bool Transient::newton(State& x, double time, double g_share, const State& constant) {
  for (int pass = 0; pass < tolerances_.newton_steps; ++pass) {
    network_.evaluate(x, time, {.limiting = true});
    ++work_.evaluations;
    const bool limited = network_.limited();
    const auto f = network_.f(), q = network_.q();
    for (std::size_t i = 0; i < x.size(); ++i) residual_[i] = constant[i] - q[i] - g_share * f[i];
    const bool linear = network_.linear_at(x);
    stayed_linear_ = stayed_linear_ && linear;
    if (!linear || factored_share_ != g_share) {
      if (!network_.factor(1, g_share)) return false;
      ++work_.factors;
      factored_share_ = linear ? g_share : 0;
    }
    network_.solve(residual_);
    ++work_.solves;
    for (std::size_t i = 0; i < x.size(); ++i) {
      if (!std::isfinite(residual_[i])) {
        worst_ = int(i);
        return false;
      }
      x[i] += residual_[i];
    }
    if (linear ? network_.linear_at(x) : !limited && weighted(residual_, size_, tolerances_, worst_) < 0.1) return true;
  }
  return false;
}

Result<void> Transient::step(double h, bool estimate) {
  constexpr double g = kGamma;
  const double share = g * h / 2;
  const auto n = x_.size();
  const auto cannot = [&] {
    return fail(Fault::bench, "The circuit cannot be solved at {}: {} does not settle.", format_setting(time_, "s"),
                network_.unknown_name(worst_));
  };
  network_.evaluate(x_, time_);
  ++work_.evaluations;
  for (std::size_t i = 0; i < n; ++i) {
    q0_[i] = network_.q()[i];
    f0_[i] = network_.algebraic(int(i)) ? 0 : network_.f()[i];
    constant_[i] = q0_[i] - share * f0_[i];
  }
  inside_ = x_;
  if (!newton(inside_, time_ + g * h, share, constant_)) return cannot();
  network_.evaluate(inside_, time_ + g * h);
  ++work_.evaluations;
  for (std::size_t i = 0; i < n; ++i) {
    q1_[i] = network_.q()[i];
    f1_[i] = network_.algebraic(int(i)) ? 0 : network_.f()[i];
    constant_[i] = network_.algebraic(int(i)) ? 0 : (q1_[i] - (1 - g) * (1 - g) * q0_[i]) / (g * (2 - g));
  }
  // The way from the start to the inner point, carried on, is close to where the step ends.
  if (estimate)
    for (std::size_t i = 0; i < n; ++i) next_[i] = x_[i] + (inside_[i] - x_[i]) / g;
  else
    next_ = inside_;
  if (!newton(next_, time_ + h, share, constant_)) return cannot();
  error_ = 0;
  if (estimate) {
    // The embedded third-order difference of the charges, brought to the unknowns through the Jacobian, which keeps
    // it small for stiff parts of the circuit.
    network_.evaluate(next_, time_ + h);
    ++work_.evaluations;
    const double k = (-3 * g * g + 4 * g - 2) / (12 * (2 - g));
    for (std::size_t i = 0; i < n; ++i) {
      const double f2 = network_.algebraic(int(i)) ? 0 : network_.f()[i];
      residual_[i] = 2 * k * h * (-f0_[i] / g + f1_[i] / (g * (1 - g)) - f2 / (1 - g));
    }
    network_.solve(residual_);
    ++work_.solves;
    error_ = weighted(residual_, size_, tolerances_, worst_);
  }
  return {};
}

/// A first step that still errs at so small a share of the way does not err by its length.
constexpr double kLeap = 1e-12;

Result<void> Transient::run_adaptive(double until, double first_step, double longest_step, const Observer& observe,
                                     std::stop_token stop) {
  double h = std::min(first_step > 0 ? first_step : (until - time_) / 1000, longest_step);
  const double least = 1e-15 * std::max(std::abs(until), until - time_);
  shortest_ = until - time_;
  stayed_linear_ = true;
  size_ = sizes(x_);
  double corner = network_.next_corner(time_), last_corner = time_;
  bool fresh = true;  // nothing is accepted yet
  while (until - time_ > least) {
    if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
    // A step ends at every corner of a source, so that none is run over and no pulse is missed.
    const double end = std::min(until, corner);
    const bool last = time_ + h * 1.001 >= end;
    const double width = last ? end - time_ : h;
    // A start that was left with wider tolerances leaps to where it agrees with itself, however short the step: that
    // leap is no error of the step.
    const bool leaps = fresh && width < kLeap * (until - time_);
    const auto ok = step(width, !leaps);
    if (!ok || error_ > 1) {
      ++work_.rejected;
      h = width * (ok ? std::clamp(0.85 / std::cbrt(error_), 0.1, 0.8) : 0.25);
      if (h < least)
        return ok ? fail(Fault::bench, "The step became too small to go on at {}: {} changes without end.",
                         format_setting(time_, "s"), network_.unknown_name(worst_))
                  : ok;
      continue;
    }
    ++work_.accepted;
    fresh = false;
    const double to = last ? end : time_ + width;
    if (observe) observe(Step{time_, to, x_, inside_, next_});
    x_.swap(next_);
    time_ = to;
    for (std::size_t i = 0; i < x_.size(); ++i) size_[i] = std::max(size_[i], std::abs(x_[i]));
    if (!last) shortest_ = std::min(shortest_, width);
    const double grow = 0.85 / std::cbrt(std::max(error_, 1e-6));
    if (last && end == corner) {
      // What a corner sets ringing is met with steps of the corner's own scale.
      const double since = time_ - last_corner;
      last_corner = time_;
      corner = network_.next_corner(time_);
      h = std::max(16 * least, std::min({h, 0.1 * since, 0.1 * (std::min(corner, until) - time_)}));
    } else if (grow > 1.3 && !(last && width < 0.5 * h)) {
      // Small changes are not worth a new factorisation.
      h = std::min(longest_step, width * std::min(grow, 4.0));
    }
  }
  next_step_ = h;
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
    if (!network_.always_linear())
      for (std::size_t i = 0; i < x_.size(); ++i) size_[i] = std::max(size_[i], std::abs(x_[i]));
  }
  return {};
}

Result<std::vector<State>> Transient::step_matrix(double h, std::vector<State>* inner) {
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
    if (inner) inner->push_back(inside);
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
