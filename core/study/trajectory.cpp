#include "study/trajectory.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <iterator>
#include <utility>

namespace heron::study {
Result<Trajectory> trajectory_of(const Trace& x, const Trace& y, double from, double to, std::size_t most) {
  assert(most >= 8);
  const auto n = x.size();
  if (n != y.size()) return fail(Fault::input, "{} and {} are not of one record.", x.name, y.name);
  Trajectory out;
  if (n == 0) return out;
  // Only what both have: their chains may lag unlike.
  from = std::max({from, x.time.at(0), y.time.at(0)});
  to = std::min({to, x.time.at(n - 1), y.time.at(n - 1)});
  const auto inside = [&](double place) { return std::size_t(std::clamp(place, 0.0, double(n))); };
  const auto first = inside(std::ceil(x.time.place_of(from, n))), last = inside(std::floor(x.time.place_of(to, n)) + 1);
  if (last <= first) return out;
  const auto keep = [&](std::size_t at, double a, double b) {
    out.time.push_back(x.time.at(at));
    out.x.push_back(a);
    out.y.push_back(b);
  };
  constexpr std::size_t kOfEach = 4;  ///< lowest and highest of both
  const auto group = last - first <= most ? std::size_t(1) : (last - first) * kOfEach / most + 1;
  out.thinned = group > 1;
  const auto stretch = std::max(group, kStretch / group * group);
  std::vector<double> a, b;
  for (auto at = first; at < last; at += stretch) {
    a.resize(std::min(stretch, last - at));
    b.resize(a.size());
    if (auto ok = x.read(at, a); !ok) return tl::unexpected(ok.error());
    if (auto ok = read_at(y, x.time, at, b); !ok) return tl::unexpected(ok.error());
    for (std::size_t k = 0; k < a.size(); k += group) {
      const auto end = std::min(a.size(), k + group);
      const auto extremes = [&](const std::vector<double>& row) {
        const auto [low, high] = std::minmax_element(row.begin() + std::ptrdiff_t(k), row.begin() + std::ptrdiff_t(end));
        return std::pair(std::size_t(low - row.begin()), std::size_t(high - row.begin()));
      };
      const auto across = extremes(a), up = extremes(b);
      std::size_t kept[kOfEach] = {across.first, across.second, up.first, up.second};
      std::sort(std::begin(kept), std::end(kept));
      const auto* const different = std::unique(std::begin(kept), std::end(kept));
      for (const auto* it = std::begin(kept); it != different; ++it) keep(at + *it, a[*it], b[*it]);
    }
  }
  return out;
}

}  // namespace heron::study
