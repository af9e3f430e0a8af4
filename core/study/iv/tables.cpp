#include "study/iv/tables.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <set>

#include "base/quantity.h"

namespace heron::study::iv {

Columns as_columns(const Family& family) {
  Columns out{.x_name = "voltage", .x_unit = "V", .x = {}};
  out.logarithmic = false;
  const bool several = family.curves.size() > 1;
  for (const auto& curve : family.curves) {
    auto s = sorted(curve);
    std::string name = "current";
    if (several && curve.step) name += " at " + format_setting(*curve.step, family.step_unit);
    out.columns.push_back({name, "A", std::move(s.current), std::move(s.u_current), curve.step, {}});
    auto& current = out.columns.back();
    for (const auto& [at, e] : s.shared) {
      if (e.second != 0) {
        auto& row = current.shared[e.source];
        row.resize(current.y.size());
        row[at] = e.second;
      }
      if (e.first != 0 && !several) {
        auto& row = out.x_shared[e.source];
        row.resize(current.y.size());
        row[at] = e.first;
      }
    }
    if (!several && s.certain()) {
      out.x_u = s.noise_voltage;
      for (const auto& [source, row] : out.x_shared)
        for (std::size_t k = 0; k < row.size(); ++k) out.x_u[k] = std::hypot(out.x_u[k], row[k]);
    }
    if (out.x.empty()) out.x = s.voltage;
    if (several) out.columns.back().x = std::move(s.voltage);
  }
  return out;
}

Record as_table(const Family& family) {
  std::vector<std::pair<const Curve*, const CurvePoint*>> rows;
  for (const auto& curve : family.curves)
    for (const auto& p : curve.points) rows.emplace_back(&curve, &p);
  std::stable_sort(rows.begin(), rows.end(),
                   [](const auto& a, const auto& b) { return a.second->index < b.second->index; });
  Record out;
  const auto column = [&](const std::string& role, const std::string& unit,
                          const std::function<double(const Curve&, const CurvePoint&)>& of) {
    Channel channel{.role = role, .unit = unit};
    for (const auto& [curve, point] : rows) channel.numbers.push_back(of(*curve, *point));
    out.channels.push_back(std::move(channel));
  };
  const bool stepped =
      std::any_of(family.curves.begin(), family.curves.end(), [](const Curve& c) { return c.step.has_value(); });
  column("voltage", "V", [](const Curve&, const CurvePoint& p) { return p.voltage; });
  column("current", "A", [](const Curve&, const CurvePoint& p) { return p.current; });
  if (stepped) column("step", family.step_unit, [](const Curve& c, const CurvePoint&) { return c.step.value_or(0); });
  if (!family.measured) return out;
  column("cycle", "1", [](const Curve&, const CurvePoint& p) { return p.cycle + 1; });
  column("time", "s", [](const Curve&, const CurvePoint& p) { return p.time; });
  column("programmed", "", [](const Curve&, const CurvePoint& p) { return p.programmed.value_or(0); });
  if (!family.ramped)
    for (std::size_t k = 0; k < family.channels.size(); ++k)
      column(family.channels[k].first, family.channels[k].second,
             [k](const Curve&, const CurvePoint& p) { return k < p.all.size() ? p.all[k] : 0; });
  column("u_voltage", "V", [](const Curve&, const CurvePoint& p) {
    return p.u_voltage ? std::hypot(p.u_voltage->noise, p.u_voltage->shared) : 0;
  });
  column("u_current", "A", [](const Curve&, const CurvePoint& p) {
    return p.u_current ? std::hypot(p.u_current->noise, p.u_current->shared) : 0;
  });
  std::set<int> sources;
  for (const auto& [curve, point] : rows)
    for (const auto& e : point->shared) sources.insert(e.source);
  int number = 0;
  for (const int source : sources) {
    if (++number > kSharedColumns) break;
    const auto of = [source](const CurvePoint& p, bool second) {
      for (const auto& e : p.shared)
        if (e.source == source) return second ? e.second : e.first;
      return 0.0;
    };
    for (const bool second : {false, true})
      if (std::any_of(rows.begin(), rows.end(), [&](const auto& row) { return of(*row.second, second) != 0; }))
        column(shared_role(second ? "current" : "voltage", number), second ? "A" : "V",
               [of, second](const Curve&, const CurvePoint& p) { return of(p, second); });
  }
  if (!family.ramped) column("current range", "A", [](const Curve&, const CurvePoint& p) { return p.current_range; });
  column("held", "1", [](const Curve&, const CurvePoint& p) { return p.usable() ? 0 : 1; });
  return out;
}

}  // namespace heron::study::iv
