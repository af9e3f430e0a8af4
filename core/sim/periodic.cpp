#include "sim/periodic.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace heron::sim {
namespace {

constexpr int kFewestSteps = 320;  ///< per period: a resonance is then where it belongs to within 2e-5

/// x -> m x + c
struct Affine {
  Eigen::MatrixXd m;
  Eigen::VectorXd c;

  Eigen::VectorXd operator()(const Eigen::VectorXd& x) const { return m * x + c; }
  Affine after_itself() const { return {m * m, m * c + c}; }
};

Eigen::Map<const Eigen::VectorXd> as_vector(const State& x) { return {x.data(), Eigen::Index(x.size())}; }

State as_state(const Eigen::VectorXd& x) { return {x.data(), x.data() + x.size()}; }

}  // namespace

/// The local error over one period decides how fine the equal steps must be.
Result<void> PeriodicDrive::choose_steps(std::stop_token stop) {
  if (steps_ > 0) return {};
  const double period = 1 / frequency_, start = transient_.time();
  const State keep = transient_.state();
  auto ok = transient_.run_adaptive(start + period, period / kFewestSteps, period / kFewestSteps, {}, stop);
  const bool linear = transient_.stayed_linear();
  const double shortest = transient_.shortest_step();
  transient_.set_state(keep, start);
  if (!ok) return ok;
  // A start-up transient may ask for short steps that the steady part does not need: they are damped, not followed.
  const double wanted = std::clamp(period / std::max(shortest, 1e-30), 1.0 * kFewestSteps, linear ? 1024.0 : 16384.0);
  steps_ = 1 << int(std::ceil(std::log2(wanted)));
  if (wanted <= kFewestSteps * 1.01) steps_ = kFewestSteps;
  return {};
}

Result<bool> PeriodicDrive::skip_periods(long long periods, std::stop_token stop) {
  const double period = 1 / frequency_, start = transient_.time();
  const State before = transient_.state();
  if (!network_.linear_at(before)) return false;
  if (auto ok = transient_.run_fixed(start + period, steps_, {}, stop); !ok) return tl::unexpected(ok.error());
  if (!transient_.stayed_linear()) {
    transient_.set_state(before, start);
    return false;
  }
  const State after = transient_.state();
  auto columns = transient_.step_matrix(period / steps_);
  if (!columns) return tl::unexpected(columns.error());
  const auto n = Eigen::Index(before.size());
  Eigen::MatrixXd step(n, n), whole = Eigen::MatrixXd::Identity(n, n);
  for (Eigen::Index j = 0; j < n; ++j) step.col(j) = as_vector((*columns)[std::size_t(j)]);
  for (int k = steps_; k > 0; k >>= 1) {
    if (k & 1) whole = whole * step;
    step = step * step;
  }
  Affine map{whole, as_vector(after) - whole * as_vector(before)};
  Eigen::VectorXd x = as_vector(before);
  for (long long k = periods; k > 0; k >>= 1) {
    if (k & 1) x = map(x);
    map = map.after_itself();
    if (!x.allFinite() || !network_.linear_at(as_state(x))) {
      transient_.set_state(before, start);
      return false;
    }
  }
  // The last period must be linear as well, or the drive reached a limit on the way.
  transient_.set_state(as_state(x), start + period * double(periods));
  const State there = transient_.state();
  const double now = transient_.time();
  if (auto ok = transient_.run_fixed(now + period, steps_, {}, stop); !ok) return tl::unexpected(ok.error());
  const bool linear = transient_.stayed_linear();
  if (linear)
    transient_.set_state(there, now);
  else
    transient_.set_state(before, start);
  return linear;
}

Result<void> PeriodicDrive::wait(double seconds, std::stop_token stop) {
  if (!(seconds > 0)) return {};
  if (auto ok = choose_steps(stop); !ok) return ok;
  const double until = transient_.time() + seconds;
  const auto periods = static_cast<long long>(std::floor(seconds * frequency_ * (1 + 1e-12)));
  if (periods >= 4) {
    const auto skipped = skip_periods(periods, stop);
    if (!skipped) return tl::unexpected(skipped.error());
  }
  if (const auto left = static_cast<long long>(std::floor((until - transient_.time()) * frequency_ * (1 + 1e-12))); left >= 2)
    if (auto ok = step_periods(left, {}, stop); !ok) return ok;
  const double rest = until - transient_.time();
  if (rest <= 1e-9 / frequency_) return {};
  const double steps = std::ceil(rest * frequency_ * steps_);
  return transient_.run_fixed(until, int(steps), {}, stop);
}

Result<void> PeriodicDrive::watch(double seconds, const Transient::Observer& observe, std::stop_token stop) {
  if (auto ok = choose_steps(stop); !ok) return ok;
  const double until = transient_.time() + seconds;
  const double steps = std::max(1.0, std::ceil(seconds * frequency_ * steps_ * (1 - 1e-12)));
  if (steps > 2.5 * steps_) {
    // Whole steps of the period's own width; what is left over comes after.
    const auto whole = static_cast<long long>(std::floor(seconds * frequency_ * steps_ * (1 + 1e-12)));
    const auto done = watch_linear(whole, observe, stop);
    if (!done) return tl::unexpected(done.error());
    // A device that left its range in the middle of a period goes to the period's end first.
    if (const auto over = *done % steps_; over > 0 && whole - *done > steps_) {
      const auto to_end = int(steps_ - over);
      if (auto ok = transient_.run_fixed(transient_.time() + to_end / (frequency_ * steps_), to_end, observe, stop); !ok) return ok;
    }
    if (const auto left = static_cast<long long>(std::floor((until - transient_.time()) * frequency_ * (1 + 1e-12))); left >= 2)
      if (auto ok = step_periods(left, observe, stop); !ok) return ok;
  }
  const double rest = until - transient_.time();
  if (rest <= 1e-9 / frequency_) return {};
  return transient_.run_fixed(until, int(std::max(1.0, std::ceil(rest * frequency_ * steps_ * (1 - 1e-12)))), observe,
                              stop);
}

Result<void> PeriodicDrive::step_periods(long long periods, const Transient::Observer& observe, std::stop_token stop) {
  // What all that is left may differ by, of each unknown's size; and what rounding alone makes of two periods.
  constexpr double kAlike = 1e-6, kRounding = 3e-9, kMostSteps = 2e8;
  const double period = 1 / frequency_, h = period / steps_, begun = transient_.time();
  std::vector<State> inside, ends;
  for (long long done = 0; done < periods; ++done) {
    if (double(done) * steps_ > kMostSteps)
      return fail(Fault::bench, "After {:.0f} steps of the circuit no period repeats yet; settle or read for a shorter time.", kMostSteps);
    const State before = transient_.state();
    State size(before.size(), 0);
    inside.clear();
    ends.clear();
    auto ok = transient_.run_fixed(
        begun + double(done + 1) * period, steps_,
        [&](const Step& step) {
          if (observe) {
            observe(step);
            inside.push_back(step.inside);
            ends.push_back(step.end);
          }
          for (std::size_t i = 0; i < size.size(); ++i) size[i] = std::max(size[i], std::abs(step.end[i]));
        },
        stop);
    if (!ok) return ok;
    const State& after = transient_.state();
    double apart = 0;
    for (std::size_t i = 0; i < size.size(); ++i)
      if (size[i] > 1e-12) apart = std::max(apart, std::abs(after[i] - before[i]) / size[i]);
    const auto left = periods - done - 1;
    if (left == 0 || apart > std::max(kAlike / double(left), kRounding)) continue;
    const State there = after;
    if (observe)
      for (long long p = done + 1; p < periods; ++p) {
        if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
        const double from = begun + double(p) * period;
        for (std::size_t k = 0; k < ends.size(); ++k)
          observe(Step{from + double(k) * h, from + double(k + 1) * h, k == 0 ? there : ends[k - 1], inside[k], ends[k]});
      }
    transient_.set_state(there, begun + double(periods) * period);
    return {};
  }
  return {};
}

Result<long long> PeriodicDrive::watch_linear(long long steps, const Transient::Observer& observe,
                                              std::stop_token stop) {
  const double period = 1 / frequency_, h = period / steps_, start = transient_.time();
  if (!network_.linear_at(transient_.state())) return 0;
  std::vector<State> inner;
  const auto columns = transient_.step_matrix(h, &inner);
  if (!columns) return tl::unexpected(columns.error());
  const auto n = Eigen::Index(transient_.state().size());
  Eigen::MatrixXd m(n, n), m_inside(n, n);
  for (Eigen::Index j = 0; j < n; ++j) {
    m.col(j) = as_vector((*columns)[std::size_t(j)]);
    m_inside.col(j) = as_vector(inner[std::size_t(j)]);
  }
  // One period as it is, and of each step what does not come from the state before it.
  Eigen::MatrixXd added(n, steps_), added_inside(n, steps_);
  Eigen::Index k = 0;
  const auto first = transient_.run_fixed(
      start + period, steps_,
      [&](const Step& step) {
        const auto before = as_vector(step.start);
        added.col(k) = as_vector(step.end) - m * before;
        added_inside.col(k) = as_vector(step.inside) - m_inside * before;
        ++k;
        if (observe) observe(step);
      },
      stop);
  if (!first) return tl::unexpected(first.error());
  long long done = steps_;
  if (!transient_.stayed_linear()) return done;
  State before = transient_.state(), inside(before.size()), after(before.size());
  for (; done < steps; ++done) {
    if ((done & 1023) == 0 && stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
    const auto place = Eigen::Index(done % steps_);
    Eigen::Map<Eigen::VectorXd>(after.data(), n).noalias() = m * as_vector(before) + added.col(place);
    if (!network_.linear_at(after)) break;
    Eigen::Map<Eigen::VectorXd>(inside.data(), n).noalias() = m_inside * as_vector(before) + added_inside.col(place);
    if (observe) observe(Step{start + double(done) * h, start + double(done + 1) * h, before, inside, after});
    before.swap(after);
  }
  transient_.set_state(before, start + double(done) * h);
  return done;
}

}  // namespace heron::sim
