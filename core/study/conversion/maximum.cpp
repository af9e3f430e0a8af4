#include "study/conversion/maximum.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "base/random.h"

namespace heron::study::conversion {
namespace {

/// Vertex of the parabola through three points; an end or a hollow as the middle one is.
std::pair<double, double> vertex(double x0, double y0, double x1, double y1, double x2, double y2) {
  const double first = (y1 - y0) / (x1 - x0), second = ((y2 - y1) / (x2 - x1) - first) / (x2 - x0);
  if (!(second < 0)) return {x1, y1};
  const double x = std::clamp((x0 + x1) / 2 - first / (2 * second), x0, x2);
  return {x, y0 + (x - x0) * (first + (x - x1) * second)};
}

}  // namespace

std::optional<Maximum> highest_efficiency(const LoadCurve& curve) {
  Rows sound;
  for (const auto& r : curve.rows)
    if (r.input_power() != 0 && (sound.empty() || r.iout() > sound.back().iout())) sound.push_back(r);
  if (sound.empty()) return std::nullopt;
  const auto top_of = [](const Rows& r) {
    const auto top = std::size_t(std::max_element(r.begin(), r.end(), [](const Row& x, const Row& y) { return x.efficiency() < y.efficiency(); }) - r.begin());
    if (top == 0 || top + 1 == r.size()) return std::pair{r[top].iout(), r[top].efficiency()};
    return vertex(r[top - 1].iout(), r[top - 1].efficiency(), r[top].iout(), r[top].efficiency(), r[top + 1].iout(), r[top + 1].efficiency());
  };
  const auto [place, value] = top_of(sound);
  // Which points are the highest is the noise's doing too: all of them are drawn anew.
  constexpr int kDraws = 200;
  std::mt19937_64 random(1);
  std::vector<double> places, values;
  for (int n = 0; n < kDraws; ++n) {
    auto drawn = sound;
    for (auto& r : drawn)
      for (auto& m : r.read)
        if (m.u > 0) m.value += m.u * normal_deviate(random);
    const auto one = top_of(drawn);
    places.push_back(one.first - place);
    values.push_back(one.second - value);
  }
  const auto spread = [](const std::vector<double>& all) {
    double mean = 0, squares = 0;
    for (const double v : all) mean += v / double(all.size());
    for (const double v : all) squares += (v - mean) * (v - mean);
    return std::sqrt(squares / double(all.size() - 1));
  };
  return Maximum{{value, spread(values), with_u(sound, [&](const Rows& r) { return top_of(r).second; }).u_shared},
                 {place, spread(places), with_u(sound, [&](const Rows& r) { return top_of(r).first; }).u_shared}};
}

}  // namespace heron::study::conversion
