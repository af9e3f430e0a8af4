#include "study/iv/compare.h"

#include <algorithm>
#include <cmath>

namespace heron::study::iv {

Family against(const Family& family, const Family& other) {
  constexpr double kNothing = 1e-4;
  Family out = family;
  out.curves.clear();
  for (const auto& curve : family.curves) {
    const auto step = curve.step.value_or(0);
    const auto twin = std::find_if(other.curves.begin(), other.curves.end(), [&](const Curve& c) {
      const bool alone = family.curves.size() == 1 && other.curves.size() == 1;
      return alone || std::abs(c.step.value_or(0) - step) <= 1e-6 * std::abs(step) + 1e-15;
    });
    if (twin == other.curves.end()) continue;
    const auto there = sorted(*twin);
    double highest = 0;
    for (const double i : there.current) highest = std::max(highest, std::abs(i));
    Curve one{.step = curve.step, .points = {}};
    for (auto p : curve.points) {
      const auto i = p.usable() ? current_at(there, p.voltage) : std::nullopt;
      if (!i || !(std::abs(*i) > kNothing * highest)) continue;
      const double per_cent = 100 / std::abs(*i);
      p.current = (p.current - *i) * per_cent;
      if (p.u_current) p.u_current = Doubtful{p.u_current->noise * per_cent, p.u_current->shared * per_cent};
      one.points.push_back(std::move(p));
    }
    if (!one.points.empty()) out.curves.push_back(std::move(one));
  }
  return out;
}

}  // namespace heron::study::iv
