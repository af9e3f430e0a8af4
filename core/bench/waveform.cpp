#include "bench/waveform.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace heron::bench {
namespace {

/// A standard normal value that is a function of seed and index alone: two hashed uniforms (SplitMix64 finaliser) by
/// Box and Muller.
double normal_at(std::uint64_t seed, std::int64_t index) {
  const auto hash = [](std::uint64_t z) {
    z += 0x9e3779b97f4a7c15ull;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ull;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebull;
    return z ^ (z >> 31);
  };
  const std::uint64_t first = hash(seed ^ hash(std::uint64_t(index))), second = hash(first);
  const double u = (double(first >> 11) + 0.5) * 0x1p-53, v = double(second >> 11) * 0x1p-53;
  return std::sqrt(-2 * std::log(u)) * std::cos(2 * std::numbers::pi * v);
}

double line_through(const std::vector<std::pair<double, double>>& points, double t) {
  if (t <= points.front().first) return points.front().second;
  const auto after =
      std::upper_bound(points.begin(), points.end(), t, [](double value, const auto& p) { return value < p.first; });
  if (after == points.end()) return points.back().second;
  const auto& [t1, v1] = *after;
  const auto& [t0, v0] = *(after - 1);
  return v0 + (v1 - v0) * (t - t0) / (t1 - t0);
}

}  // namespace

double Waveform::inside(double t) const {
  switch (shape) {
    case Shape::steady:
      return offset;
    case Shape::sine:
    {
      const double angle = 2 * std::numbers::pi * frequency * t + phase;
      double value = std::cos(angle);
      if (second != 0 || third != 0) value += second * std::cos(2 * angle) + third * std::cos(3 * angle);
      return offset + peak * value;
    }
    case Shape::lines:
      if (points.empty()) return offset;
      if (period > 0 && t >= 0) t = std::fmod(t, period);
      return offset + line_through(points, t);
    case Shape::noise: {
      const double place = t * 2 * bandwidth, low = std::floor(place), share = place - low;
      const auto index = std::int64_t(low);
      // A straight line between two independent values has 2/3 of their variance on average.
      return offset +
             std::sqrt(1.5) * rms * ((1 - share) * normal_at(seed, index) + share * normal_at(seed, index + 1));
    }
  }
  return offset;
}

double Waveform::at(double time) const {
  double t = time - delay;
  if (delay > 0 && t < 0) t = 0;
  if (cycles > 0) {
    const double cycle = shape == Shape::sine ? 1 / frequency : period;
    if (t < 0) return inside(0);
    if (burst_period > 0) t = std::fmod(t, burst_period);
    if (cycle > 0 && t >= double(cycles) * cycle) return inside(0);
  }
  return inside(t);
}

double Waveform::next_corner(double time) const {
  // Corners that lie closer to `time` than rounding are taken as passed.
  const double slack = 1e-12 * std::max(1e-6, std::abs(time));
  double nearest = kNoCorner;
  const auto offer = [&](double t) {
    if (t > time + slack) nearest = std::min(nearest, t);
  };
  if (delay > 0) offer(delay);
  const double t = time - delay;
  double base = delay, local = t;
  if (cycles > 0) {
    const double cycle = shape == Shape::sine ? 1 / frequency : period, on = double(cycles) * cycle;
    if (burst_period > 0 && t > 0) {
      base += std::floor((t + slack) / burst_period) * burst_period;
      local = time - base;
    }
    offer(base + on);
    if (burst_period > 0) offer(base + burst_period);
    if (local >= on - slack) return nearest;
  }
  if (shape == Shape::lines && !points.empty()) {
    double start = base;
    if (period > 0 && local > 0) start += std::floor((local + slack) / period) * period;
    for (int round = 0; round < 2; ++round) {
      // Lists can be long: the first point after is looked up, and its neighbour for what rounding makes of it.
      auto it = std::upper_bound(points.begin(), points.end(), time - start,
                                 [](double value, const auto& p) { return value < p.first; });
      if (it != points.begin()) --it;
      for (int k = 0; k < 3 && it != points.end(); ++k, ++it) offer(start + it->first);
      if (period <= 0 || nearest < kNoCorner) break;
      start += period;
    }
    if (period > 0 && points.front().second != points.back().second) offer(start + period);
  } else if (shape == Shape::noise && bandwidth > 0) {
    const double width = 1 / (2 * bandwidth);
    offer(base + (std::floor((local + slack) / width) + 1) * width);
  }
  return nearest;
}

Waveform pulse(double low, double high, double rise, double fall, double width, double period) {
  const double up = rise, top = up + std::max(0.0, width - rise / 2 - fall / 2), down = top + fall;
  Waveform w{.shape = Waveform::Shape::lines, .period = period};
  w.points = {{0, low}, {up, high}, {top, high}, {down, low}};
  return w;
}

Waveform triangle(double low, double high, double symmetry, double period) {
  Waveform w{.shape = Waveform::Shape::lines, .period = period};
  w.points = {{0, low}, {symmetry * period, high}, {period, low}};
  return w;
}

Waveform staircase(double low, double high, int steps, double dwell, double rise) {
  Waveform w{.shape = Waveform::Shape::lines, .period = steps * dwell};
  for (int k = 0; k < steps; ++k) {
    const double v = steps > 1 ? low + (high - low) * k / (steps - 1) : low;
    w.points.push_back({k * dwell + (k > 0 ? rise : 0), v});
    w.points.push_back({(k + 1) * dwell - (k + 1 == steps ? rise : 0), v});
  }
  w.points.push_back({steps * dwell, low});
  return w;
}

namespace {

/// exp(-t/slow) - exp(-t/fast), both in s.
struct DoubleExponential {
  double slow, fast;

  double at(double t) const { return std::exp(-t / slow) - std::exp(-t / fast); }
  double peak_time() const { return std::log(slow / fast) * slow * fast / (slow - fast); }
  /// Where it passes a share of its peak, before it or after.
  double time_of(double share, bool after) const {
    const double top = peak_time(), level = share * at(top);
    double low = after ? top : 0, high = after ? top + 20 * slow : top;
    for (int k = 0; k < 100; ++k) {
      const double middle = (low + high) / 2;
      ((at(middle) > level) == after ? low : high) = middle;
    }
    return (low + high) / 2;
  }
};

}  // namespace

Waveform surge(double peak, double front, double tail, double delay) {
  // The two time constants by what they do to front and tail, one after the other until both stay.
  DoubleExponential shape{tail / std::log(2.0), front / 3};
  for (int k = 0; k < 60; ++k) {
    const double rise = (shape.time_of(0.9, false) - shape.time_of(0.3, false)) / 0.6;
    shape.fast = std::min(shape.fast * front / rise, 0.9 * shape.slow);
    shape.slow *= tail / shape.time_of(0.5, true);
  }
  Waveform w{.shape = Waveform::Shape::lines};
  const double scale = peak / shape.at(shape.peak_time());
  constexpr int kFront = 160, kTail = 240;
  const double top = 3 * shape.peak_time();
  for (int k = 0; k <= kFront; ++k) {
    const double t = top * std::pow(double(k) / kFront, 1.5);
    w.points.push_back({t, scale * shape.at(t)});
  }
  for (int k = 1; k <= kTail; ++k) {
    const double t = top + 12 * shape.slow * k / kTail;
    w.points.push_back({t, scale * shape.at(t)});
  }
  w.points.push_back({top + 12.05 * shape.slow, 0});
  w.delay = delay;
  return w;
}

Waveform switched(double peak, double frequency, double phase, double bus, double carrier, double edge) {
  const double period = 1 / frequency, depth = peak / (bus / 2);
  const auto count = std::max(3LL, std::llround(carrier / frequency));
  const double each = period / double(count);
  Waveform w{.shape = Waveform::Shape::lines, .period = period};
  w.points = {{0, bus / 2}};
  for (long long k = 0; k < 2 * count; ++k) {
    // Up in the first half of a triangle, down in the second; high where the sine is above it.
    const bool rises = k % 2 == 0;
    const double from = double(k) * each / 2;
    const auto above = [&](double share) {
      return depth * std::cos(2 * std::numbers::pi * frequency * (from + share * each / 2) + phase) - (rises ? -1 + 2 * share : 1 - 2 * share);
    };
    if ((above(0) > 0) == (above(1) > 0)) continue;
    double low = 0, high = 1;
    for (int j = 0; j < 50; ++j) {
      const double middle = (low + high) / 2;
      ((above(middle) > 0) == (above(0) > 0) ? low : high) = middle;
    }
    const double at = from + low * each / 2, to = rises ? -bus / 2 : bus / 2;
    if (w.points.back().second == to) continue;
    if (at - edge / 2 <= w.points.back().first) {
      // The pulse before would end while it still rises: there is none.
      if (w.points.size() > 2) w.points.resize(w.points.size() - 2);
      continue;
    }
    w.points.insert(w.points.end(), {{at - edge / 2, w.points.back().second}, {at + edge / 2, to}});
  }
  if (period > w.points.back().first) w.points.push_back({period, w.points.back().second});
  return w;
}

Waveform double_pulse(double low, double high, double rise, double first, double gap, double second, double delay) {
  Waveform w{.shape = Waveform::Shape::lines};
  double t = delay;
  w.points.push_back({0, low});
  for (const double width : {first, second}) {
    w.points.push_back({t, low});
    w.points.push_back({t + rise, high});
    w.points.push_back({t + width, high});
    w.points.push_back({t + width + rise, low});
    t += width + gap;
  }
  return w;
}

Waveform to_and_fro(double first, double second, double period, double edge) {
  const double half = period / 2;
  return {.shape = Waveform::Shape::lines, .points = {{0, first}, {half - edge, first}, {half, second}, {period - edge, second}, {period, first}}, .period = period};
}

}  // namespace heron::bench
