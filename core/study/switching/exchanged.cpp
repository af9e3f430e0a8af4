#include "study/switching/exchanged.h"

#include <algorithm>
#include <cmath>

#include "signal/correlation.h"

namespace heron::study::switching {
namespace {

constexpr double kClimbs = 0.08;   ///< of the swing, that a load's current gains and a bus does not
constexpr double kGoesWith = 0.5;   ///< correlation of the gate with v_ds
constexpr int kLooked = 512;

/// How the gate and v_ds go together.
Result<double> with_gate(const Shot& shot, const Sensed& gate) {
  std::vector<double> v, g;
  for (int k = 0; k < kLooked; ++k) {
    const double t = shot.from + (shot.to - shot.from) * (k + 0.5) / kLooked;
    const auto a = value_at(*shot.get(Role::v_ds).trace, t), b = value_at(*gate.trace, t);
    if (!a) return tl::unexpected(a.error());
    if (!b) return tl::unexpected(b.error());
    if (!*a || !*b) continue;
    v.push_back(**a);
    g.push_back(**b);
  }
  return signal::correlation(v, g);
}

/// The longest stretch in which v_ds is high, or low, without what is next to its ends.
std::pair<double, double> longest(const Shot& s, bool high) {
  std::vector<std::pair<double, bool>> turns;  // when, and high from there on
  for (const double t : s.rises) turns.emplace_back(t, true);
  for (const double t : s.falls) turns.emplace_back(t, false);
  std::sort(turns.begin(), turns.end());
  turns.emplace_back(s.to, !turns.back().second);
  std::pair<double, double> out{s.from, s.from};
  double begun = s.from;
  for (const auto& [end, high_then] : turns) {
    if (high_then != high && end - begun > out.second - out.first) out = {begun, end};
    begun = end;
  }
  const double length = out.second - out.first;
  return {out.first + 0.2 * length, out.second - 0.1 * length};
}

/// What a quantity gains over such a stretch, with its standard uncertainty; nothing of one with few samples.
struct Gain {
  double value = 0, u = 0;
};
Result<std::optional<Gain>> gain_over(const Sensed& s, const std::pair<double, double>& stretch) {
  const auto line = line_of(s, stretch.first, stretch.second, stretch.first);
  if (!line) return tl::unexpected(line.error());
  if (!*line) return std::optional<Gain>();
  const double length = stretch.second - stretch.first;
  return std::optional(Gain{(*line)->slope * length, (*line)->u_slope * length});
}

}  // namespace

Result<bool> exchanged(const Shot& s, double largest) {
  if (const auto* gate = s.find(Role::v_gs)) {
    const auto follows = with_gate(s, *gate);
    if (!follows) return tl::unexpected(follows.error());
    if (std::abs(*follows) > kGoesWith) return *follows > 0;
  }
  const auto bus = gain_over(s.get(Role::v_ds), longest(s, true)), load = gain_over(s.get(Role::i_d), longest(s, false));
  if (!bus) return tl::unexpected(bus.error());
  if (!load) return tl::unexpected(load.error());
  if (!*bus || !*load || !(largest > 0)) return false;
  const double swing = s.high - s.low, climbs = (*bus)->value / swing;
  return climbs > kClimbs && (*bus)->value > 5 * (*bus)->u && std::abs((*load)->value) / largest < climbs / 3;
}

}  // namespace heron::study::switching
