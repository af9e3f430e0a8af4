#pragma once
#include <cmath>

/// Curves with continuous slopes that the part models are made of. Each gives its value and its slope.
namespace heron::sim::parts {

struct Bent {
  double value = 0, slope = 0;
};

/// exp(x), carried on as a straight line where it would leave the numbers.
inline Bent smooth_exp(double x) {
  constexpr double kEnd = 200;
  if (x > kEnd) return {std::exp(kEnd) * (1 + x - kEnd), std::exp(kEnd)};
  const double e = std::exp(x);
  return {e, e};
}

/// ln(1 + exp x): zero far below, x far above.
inline Bent soft_plus(double x) {
  if (x > 40) return {x, 1};
  if (x < -700) return {0, 0};
  const double e = std::exp(x);
  return {std::log1p(e), e / (1 + e)};
}

/// u, exactly, up to `knee`, then bending towards +-1 and never beyond; twice differentiable.
inline Bent soft_limit(double u, double knee = 0.5) {
  const double size = std::abs(u);
  if (size <= knee) return {u, 1};
  const double t = std::tanh((size - knee) / (1 - knee));
  return {std::copysign(knee + (1 - knee) * t, u), 1 - t * t};
}

/// The smaller of a and b, rounded over the width w; slopes for both.
struct SoftLeast {
  double value, slope_a, slope_b;
};
inline SoftLeast soft_least(double a, double b, double w) {
  const double d = a - b, root = std::sqrt(d * d + w * w);
  return {0.5 * (a + b - root), 0.5 * (1 - d / root), 0.5 * (1 + d / root)};
}

}  // namespace heron::sim::parts
