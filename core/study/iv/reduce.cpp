#include "study/iv/reduce.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"

namespace heron::study::iv {

Result<void> Assembly::add_table(const Record& table) {
  const auto *v = table.find("voltage"), *i = table.find("current"), *s = table.find("step");
  if (!v || !i) return fail(Fault::input, "Columns of voltage and current are needed.");
  const auto voltage = v->values(), current = i->values(), step = s ? s->values() : std::vector<double>();
  if (voltage.size() != current.size() || (s && step.size() != voltage.size()))
    return fail(Fault::input, "The columns are not of one length.");
  if (s && !s->unit.empty()) about_.step_unit = s->unit;
  for (std::size_t k = 0; k < voltage.size(); ++k) {
    if (!std::isfinite(voltage[k]) || !std::isfinite(current[k]) || (s && !std::isfinite(step[k])))
      return fail(Fault::input, "Row {}: a number is wanted.", k + 1);
    auto& curve = by_step_[s ? step[k] : 0.0];
    if (s) curve.step = step[k];
    curve.points.push_back({.index = int(k), .voltage = voltage[k], .current = current[k], .programmed = {}});
  }
  return {};
}

void Assembly::note_use(const nlohmann::json& readings, const nlohmann::json& ratings) {
  for (const auto& [name, reading] : readings.items()) {
    const double i = std::abs(reading.value("current", 0.0)), v = std::abs(reading.value("voltage", 0.0));
    if (const double range = reading.value("current_range", 0.0); range > 0) {
      auto use = std::find_if(about_.ranges.begin(), about_.ranges.end(),
                              [name = name](const RangeUse& r) { return r.name == name; });
      if (use == about_.ranges.end()) {
        about_.ranges.push_back({name, "A", 0, 0, reading.value("fixed_range", false), "source." + name + ".range"});
        use = about_.ranges.end() - 1;
      }
      use->range = std::max(use->range, range);
      use->highest = std::max(use->highest, i);
    }
    if (!ratings.contains(name)) continue;
    for (const auto& [what, limit] : ratings.at(name).items()) {
      if (!limit.is_number()) continue;
      const std::string unit = what == "voltage" ? "V" : what == "current" ? "A" : "W";
      auto use = std::find_if(about_.ratings.begin(), about_.ratings.end(),
                              [&, n = name](const RatingUse& r) { return r.pin == n && r.unit == unit; });
      if (use == about_.ratings.end()) {
        about_.ratings.push_back({name, unit, limit.get<double>(), 0});
        use = about_.ratings.end() - 1;
      }
      use->highest = std::max(use->highest, unit == "V" ? v : unit == "A" ? i : v * i);
    }
  }
}

Result<void> Assembly::add_reading(const Point& point) {
  try {
    const auto& setting = point.setting;
    const auto& readings = setting.at("readings");
    const std::string swept = setting.at("swept"), sensed = setting.at("sensed");
    const auto &v = readings.at(swept), &i = readings.at(sensed);
    CurvePoint out{.index = point.index,
                   .voltage = v.at("voltage"),
                   .current = i.at("current"),
                   .time = setting.value("time", 0.0),
                   .programmed = {},
                   .u_voltage = Doubtful{v.value("u_voltage_noise", 0.0), v.value("u_voltage_shared", 0.0)},
                   .u_current = Doubtful{i.value("u_current_noise", 0.0), i.value("u_current_shared", 0.0)},
                   .voltage_range = v.value("voltage_range", 0.0),
                   .current_range = i.value("current_range", 0.0),
                   .cycle = setting.value("cycle", 0),
                   .moved = i.value("moved", 0.0),
                   .u_moved = i.value("u_moved", 0.0)};
    const bool first = about_.channels.empty();
    for (const auto& [name, reading] : readings.items()) {
      out.at_compliance = out.at_compliance || reading.value("at_compliance", false);
      for (const char* what : {"voltage", "current"}) {
        if (first) about_.channels.emplace_back(name + " " + what, what[0] == 'v' ? "V" : "A");
        out.all.push_back(reading.value(what, 0.0));
      }
    }
    if (const auto it = setting.find("programmed"); it != setting.end()) out.programmed = it->get<double>();
    if (!std::isfinite(out.voltage) || !std::isfinite(out.current))
      return fail(Fault::input, "Point {} is no number.", point.index + 1);
    note_use(readings, setting.value("ratings", nlohmann::json::object()));
    const auto step = setting.find("step");
    const bool has = step != setting.end() && step->is_number();
    auto& curve = by_step_[has ? step->get<double>() : 0.0];
    if (has) curve.step = step->get<double>();
    about_.step_name = setting.value("step_name", about_.step_name);
    about_.step_unit = setting.value("step_unit", about_.step_unit);
    if (setting.contains("delay")) about_.delay = setting.at("delay").get<double>();
    about_.measured = true;
    curve.points.push_back(std::move(out));
    return {};
  } catch (const nlohmann::json::exception& e) {
    return fail(Fault::input, "Point {} cannot be read: {}", point.index + 1, e.what());
  }
}

Result<void> Assembly::add(const Point& point) {
  if (point.setting.value("method", std::string()) == "ramp") return ramps_.add(point);
  if (!point.records.empty()) return add_table(point.records.front());
  return add_reading(point);
}

Result<Family> Assembly::family() const {
  Family out = about_;
  for (const auto& [step, curve] : by_step_)
    if (!curve.points.empty()) out.curves.push_back(curve);
  ramps_.put(out);
  if (out.curves.empty()) return fail(Fault::input, "There is no point to read.");
  return out;
}

Result<Family> reduce_take(const std::vector<Point>& points) {
  Assembly all;
  for (const auto& point : points)
    if (auto ok = all.add(point); !ok) return tl::unexpected(ok.error());
  return all.family();
}

Result<Family> within(Family family, const Settings& settings) {
  if (!settings.from && !settings.to) return family;
  for (auto& curve : family.curves)
    std::erase_if(curve.points, [&](const CurvePoint& p) {
      return (settings.from && p.voltage < *settings.from) || (settings.to && p.voltage > *settings.to);
    });
  std::erase_if(family.curves, [](const Curve& curve) { return curve.points.empty(); });
  if (family.curves.empty())
    return fail(Fault::input, "No point lies between the ends that are set: take away `from` and `to`.");
  return family;
}

}  // namespace heron::study::iv
