#pragma once
#include <functional>
#include <stop_token>
#include <vector>

#include "sim/network.h"

namespace heron::sim {

using State = std::vector<double>;

struct Tolerances {
  double relative = 1e-6;  ///< of the largest value that an unknown has had
  double absolute = 1e-9;  ///< V or A
  int newton_steps = 60;
};

/// The operating point: all charges at rest, sources at their value at time 0.
///
/// Newton with limited junctions, then with short steps, then with a leak from every node that is taken away by
/// decades, then with the sources brought up. Fails naming the unknown that would not settle.
Result<State> operating_point(Network& network, const Tolerances& tolerances = {});

/// One accepted step with what is needed for values in between.
struct Step {
  double from = 0, to = 0;
  const State& start;
  const State& inside;  ///< at from + kGamma (to - from)
  const State& end;

  /// An unknown between the ends: the parabola through the three states, exact to third order.
  double at(int unknown, double time) const;
};

inline constexpr double kGamma = 0.585786437626905;  ///< 2 - sqrt 2: both stages then share one Jacobian

/// Transient solution by TR-BDF2 (Bank et al. 1985; Hosea and Shampine 1996): one-step, second order, L-stable.
///
/// run_adaptive() chooses steps by the local error and ends one at every corner of a source; run_fixed() takes equal
/// steps and refactors only when the step changes, or where the network is not linear. Both call `observe` after every
/// accepted step.
class Transient {
 public:
  using Observer = std::function<void(const Step&)>;

  /// @param network  must outlive this
  Transient(Network& network, State start, double time, Tolerances tolerances = {});

  double time() const { return time_; }
  const State& state() const { return x_; }
  void set_state(State x, double time);
  void set_tolerances(const Tolerances& tolerances) { tolerances_ = tolerances; }

  /// @param first_step  0: a thousandth of the span
  Result<void> run_adaptive(double until, double first_step, double longest_step, const Observer& observe = {},
                            std::stop_token stop = {});
  Result<void> run_fixed(double until, int steps, const Observer& observe = {}, std::stop_token stop = {});

  /// What one step of width h does to a deviation: x(t+h) = A x(t) + ... around the present state, as a dense matrix by
  /// columns. Only meaningful where the network is linear.
  /// @param inside  what it does to the inner point, where that is wanted
  Result<std::vector<State>> step_matrix(double h, std::vector<State>* inside = nullptr);

  /// What run_adaptive() would have gone on with; 0 after set_state() or where it has not run.
  double next_step() const { return next_step_; }
  double shortest_step() const { return shortest_; }     ///< accepted by the last run_adaptive
  bool stayed_linear() const { return stayed_linear_; }  ///< over the last run

  /// What was spent so far: for measuring what stepping costs above its device evaluations and solutions.
  struct Work {
    long long evaluations = 0, factors = 0, solves = 0, accepted = 0, rejected = 0;
  };
  const Work& work() const { return work_; }

 private:
  Result<void> step(double h, bool estimate);
  bool newton(State& x, double time, double g_share, const State& constant);

  Network& network_;
  Tolerances tolerances_;
  State x_, inside_, next_, constant_, residual_;
  State f0_, q0_, f1_, q1_;
  State size_;     ///< largest magnitude of each unknown so far
  int worst_ = 0;  ///< unknown that gave the last trouble
  Work work_;
  double time_ = 0, shortest_ = 0, error_ = 0, next_step_ = 0;
  double factored_share_ = 0;  ///< g_share of the present factors, 0 when they are stale
  bool stayed_linear_ = true;
};

}  // namespace heron::sim
