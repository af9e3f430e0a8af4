#include "study/iv/loop.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "signal/curve.h"

namespace heron::study::iv {
namespace {

/// Mean current of those stretches that reach the voltage.
std::optional<double> mean_at(const std::vector<Sorted>& stretches, double voltage) {
  double sum = 0;
  int n = 0;
  for (const auto& s : stretches)
    if (const auto i = signal::interpolate(s.voltage, s.current, voltage)) {
      sum += *i;
      ++n;
    }
  return n > 0 ? std::optional(sum / n) : std::nullopt;
}

}  // namespace

std::optional<Loop> loop_of(const Curve& curve) {
  std::vector<Sorted> up, down;
  std::vector<double> places;
  double speed = 0, weight = 0;
  const auto pieces = pieces_of(curve);
  for (const auto& piece : pieces) {
    auto s = sorted(curve, piece.points);
    if (s.voltage.size() < 2) continue;
    places.insert(places.end(), s.voltage.begin(), s.voltage.end());
    const auto &first = curve.points[piece.points.front()], &last = curve.points[piece.points.back()];
    if (const double seconds = last.time - first.time; seconds > 0) {
      speed += std::abs(last.voltage - first.voltage);
      weight += seconds;
    }
    (piece.rising ? up : down).push_back(std::move(s));
  }
  if (up.empty() || down.empty()) return std::nullopt;
  std::sort(places.begin(), places.end());
  places.erase(std::unique(places.begin(), places.end()), places.end());
  double largest = 0;
  for (const auto& p : curve.points)
    if (p.usable()) largest = std::max(largest, std::abs(p.current));
  Loop out{.rate = weight > 0 ? speed / weight : 0};
  std::optional<std::pair<double, double>> before;
  for (const double v : places) {
    const auto a = mean_at(up, v), b = mean_at(down, v);
    if (!a || !b) {
      before.reset();
      continue;
    }
    const double apart = *a - *b;
    if (std::abs(apart) > out.apart) {
      out.apart = std::abs(apart);
      out.opening_at = v;
    }
    if (before) {
      const auto [v0, d0] = *before;
      // Where the branches cross in between, both triangles count.
      out.area += (d0 < 0) == (apart < 0) || d0 == 0 || apart == 0
                      ? (v - v0) * (std::abs(d0) + std::abs(apart)) / 2
                      : (v - v0) * (d0 * d0 + apart * apart) / (2 * (std::abs(d0) + std::abs(apart)));
    }
    before = {v, apart};
  }
  if (!(largest > 0)) return std::nullopt;
  out.opening = out.apart / largest;
  return out;
}

std::optional<Loop> widest_loop(const Family& family) {
  std::optional<Loop> widest;
  for (const auto& curve : family.curves)
    if (const auto loop = loop_of(curve); loop && (!widest || loop->opening > widest->opening)) widest = loop;
  return widest;
}

Closing closing_of(std::span<const Pass> passes, double wanted) {
  // What a capacitance takes falls as the rate does, even while it is all the current there is and the opening, a
  // share, stays. What falls by less than a fifth while the sweep slows to under half is something else.
  constexpr double kSlower = 0.5, kSame = 0.8;
  if (passes.empty()) return Closing::open;
  if (passes.back().opening <= wanted) return Closing::closes;
  if (passes.size() < 2) return Closing::open;
  const auto &before = passes[passes.size() - 2], &last = passes.back();
  if (last.rate < kSlower * before.rate && last.apart > kSame * before.apart) return Closing::persists;
  return Closing::open;
}

std::string percent_text(double share) {
  const double percent = 100 * share;
  return std::abs(percent) >= 100 ? fmt::format("{:.0f} %", percent) : fmt::format("{:.2g} %", percent);
}

std::string closing_text(std::span<const Pass> passes, double wanted) {
  if (passes.empty()) return "Nothing was swept.";
  const auto& last = passes.back();
  const auto share = percent_text;
  const std::string at =
      fmt::format("{} at {}/s", share(last.opening), format_setting(std::stod(fmt::format("{:.3g}", last.rate)), "V"));
  switch (closing_of(passes, wanted)) {
    case Closing::closes:
      return passes.size() > 1 ? fmt::format("The loop closes: {}, from {}. It was a capacitance swept too fast.", at,
                                             share(passes.front().opening))
                               : fmt::format("The loop is closed: {}.", at);
    case Closing::persists:
      return fmt::format(
          "The loop does not close: {}, {} {} before. Slowing does not help against memory or self-heating.", at,
          last.opening < passes[passes.size() - 2].opening ? "hardly less than" : "after",
          share(passes[passes.size() - 2].opening));
    case Closing::open:
      break;
  }
  return fmt::format("The loop is still open: {}.", at);
}

}  // namespace heron::study::iv
