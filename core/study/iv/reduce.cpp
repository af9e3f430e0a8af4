#include "study/iv/reduce.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "base/quantity.h"

namespace heron::study::iv {
namespace {

constexpr double kZeroCelsius = 273.15;  ///< K

}  // namespace

namespace {

/// Steps that were read back come with noise: values that lie closer than a hundredth of the whole span are one, its
/// mean rounded to what the scatter leaves of it. Only where nearly every row has a value of its own, so that steps
/// that were programmed stay as they are.
std::vector<double> without_step_noise(const std::vector<double>& steps) {
  auto values = steps;
  std::sort(values.begin(), values.end());
  values.erase(std::unique(values.begin(), values.end()), values.end());
  if (values.size() < 4 || 2 * values.size() < steps.size()) return steps;
  const double largest = std::max(std::abs(values.front()), std::abs(values.back())),
               span = values.back() - values.front();
  const double apart = span < 0.005 * largest ? span : 0.01 * span;
  std::map<double, double> mean_of;
  for (std::size_t from = 0; from < values.size();) {
    std::size_t to = from + 1;
    while (to < values.size() && values[to] - values[to - 1] <= apart) ++to;
    double sum = 0, squares = 0;
    for (std::size_t k = from; k < to; ++k) sum += values[k];
    const double mean = sum / double(to - from);
    for (std::size_t k = from; k < to; ++k) squares += std::pow(values[k] - mean, 2);
    const double scatter = std::sqrt(squares / double(to - from));
    const double digit = scatter > 0 ? std::pow(10, std::ceil(std::log10(scatter))) : 0;
    const double rounded = digit > 0 ? std::round(mean / digit) * digit : mean;
    for (std::size_t k = from; k < to; ++k) mean_of[values[k]] = rounded;
    from = to;
  }
  // As many steps as rows means that the column is no step at all.
  std::vector<double> out;
  out.reserve(steps.size());
  for (const double s : steps) out.push_back(mean_of.at(s));
  return out;
}

std::vector<double> column(const Record& table, const std::string& role) {
  const auto* c = table.find(role);
  return c ? c->values() : std::vector<double>();
}

}  // namespace

Result<void> Assembly::add_table(const Record& table) {
  const auto *v = table.find("voltage"), *i = table.find("current"), *s = table.find("step");
  if (!v || !i) return fail(Fault::input, "Columns of voltage and current are needed.");
  const auto voltage = v->values(), current = i->values();
  auto step = s ? s->values() : std::vector<double>();
  for (const auto& c : table.channels)
    if (c.size() != voltage.size()) return fail(Fault::input, "The columns are not of one length.");
  if (s && !s->unit.empty()) about_.step_unit = s->unit;
  for (std::size_t k = 0; k < voltage.size(); ++k)
    if (!std::isfinite(voltage[k]) || !std::isfinite(current[k]) || (s && !std::isfinite(step[k])))
      return fail(Fault::input, "{}: a number is wanted.", table.where(k));
  if (s) step = without_step_noise(step);
  const auto u_voltage = column(table, "u_voltage"), u_current = column(table, "u_current"),
             held = column(table, "held"), time = column(table, "time"), programmed = column(table, "programmed");
  for (const auto* u : {&u_voltage, &u_current})
    for (std::size_t k = 0; k < u->size(); ++k)
      if (!((*u)[k] >= 0))
        return fail(Fault::input, "{}: an uncertainty is not below zero; {} is.", table.where(k), (*u)[k]);
  std::vector<std::tuple<int, bool, std::vector<double>>> shared;
  for (int n = 1; n <= kSharedColumns; ++n) {
    if (auto of = column(table, shared_role("voltage", n)); !of.empty()) shared.emplace_back(n, false, std::move(of));
    if (auto of = column(table, shared_role("current", n)); !of.empty()) shared.emplace_back(n, true, std::move(of));
  }
  table_ = true;
  if (!s) by_step_[0.0].points.reserve(voltage.size());
  for (std::size_t k = 0; k < voltage.size(); ++k) {
    auto& curve = by_step_[s ? step[k] : 0.0];
    if (s) curve.step = step[k];
    curve.points.push_back({.index = int(k), .voltage = voltage[k], .current = current[k], .programmed = {}});
    auto& p = curve.points.back();
    if (!programmed.empty()) p.programmed = programmed[k];
    if (!time.empty()) p.time = time[k];
    p.clipped = !held.empty() && held[k] != 0;
    for (const auto& [source, of_current, by] : shared) {
      if (by[k] == 0) continue;
      p.shared.push_back({source, of_current ? 0 : by[k], of_current ? by[k] : 0});
    }
    if (u_voltage.empty() && u_current.empty()) continue;
    const auto parts = [&](const std::vector<double>& whole, bool second) {
      const double common = shared_of(p.shared, second), u = whole.empty() ? common : whole[k];
      return Doubtful{std::sqrt(std::max(0.0, u * u - common * common)), common};
    };
    p.u_voltage = parts(u_voltage, false);
    p.u_current = parts(u_current, true);
  }
  return {};
}

void Assembly::note_use(const nlohmann::json& readings, const nlohmann::json& ratings) {
  for (const auto& [name, reading] : readings.items()) {
    const double i = reading.value("current", 0.0), v = reading.value("voltage", 0.0);
    if (const double range = reading.value("current_range", 0.0); range > 0) {
      auto use = std::find_if(about_.ranges.begin(), about_.ranges.end(),
                              [name = name](const RangeUse& r) { return r.name == name; });
      if (use == about_.ranges.end()) {
        about_.ranges.push_back({name, "A", 0, 0, reading.value("fixed_range", false), "source." + name + ".range"});
        use = about_.ranges.end() - 1;
      }
      use->range = std::max(use->range, range);
      use->highest = std::max(use->highest, std::abs(i));
    }
    if (!ratings.contains(name)) continue;
    const auto& own = ratings.at(name);
    for (const auto& r : rated()) {
      const auto limit = own.find(r.key);
      if (limit == own.end() || !limit->is_number()) continue;
      auto use = std::find_if(about_.ratings.begin(), about_.ratings.end(), [&, n = name](const RatingUse& u) {
        return u.pin == n && u.unit == r.unit && u.reversed == r.reversed;
      });
      if (use == about_.ratings.end()) {
        about_.ratings.push_back({name, r.unit, limit->get<double>(), 0, r.reversed});
        use = about_.ratings.end() - 1;
      }
      use->highest = std::max(use->highest, r.highest(v, i, own));
    }
  }
}

Result<void> Assembly::add_reading(const Point& point) {
  try {
    const auto& setting = point.setting.json();
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
    if (setting.contains("temperature")) about_.temperature = setting.at("temperature").get<double>() + kZeroCelsius;
    if (setting.contains("delay")) about_.delay = setting.at("delay").get<double>();
    about_.measured = true;
    curve.points.push_back(std::move(out));
    return {};
  } catch (const nlohmann::json::exception& e) {
    return fail(Fault::input, "Point {} cannot be read: {}", point.index + 1, e.what());
  }
}

Result<void> Assembly::add(const Point& point) {
  if (point.setting.json().value("method", std::string()) == "ramp") return ramps_.add(point);
  if (!point.records.empty()) return add_table(point.records.front());
  return add_reading(point);
}

namespace {

/// Tells gain from offset in what the readings on one range share: the offset is what is left where the reading is
/// smallest, the gain grows with the reading. Each is one source for all of the range.
void name_sources(Family& family) {
  SourceNumbers numbers;
  for (const bool of_current : {false, true}) {
    const auto u_of = [&](const CurvePoint& p) { return of_current ? p.u_current : p.u_voltage; };
    const auto range_of = [&](const CurvePoint& p) { return of_current ? p.current_range : p.voltage_range; };
    std::map<double, double> least;  // that is shared, by range
    for (const auto& curve : family.curves)
      for (const auto& p : curve.points)
        if (const auto u = u_of(p)) {
          const auto [it, fresh] = least.try_emplace(range_of(p), u->shared);
          if (!fresh) it->second = std::min(it->second, u->shared);
        }
    for (auto& curve : family.curves)
      for (auto& p : curve.points) {
        const auto u = u_of(p);
        if (!u || !(u->shared > 0)) continue;
        const double offset = least.at(range_of(p));
        const double value = of_current ? p.current : p.voltage;
        const double gain = std::copysign(std::sqrt(std::max(0.0, u->shared * u->shared - offset * offset)), value);
        const auto put = [&](const char* what, double by) {
          const int source = numbers(fmt::format("{} {} {}", what, of_current, range_of(p)));
          if (by != 0) p.shared.push_back({source, of_current ? 0 : by, of_current ? by : 0});
        };
        put("gain", gain);
        put("offset", offset);
      }
  }
}

}  // namespace

Result<Family> Assembly::family() const& { return Assembly(*this).family(); }

Result<Family> Assembly::family() && {
  Family out = std::move(about_);
  for (auto& [step, curve] : by_step_)
    if (!curve.points.empty()) out.curves.push_back(std::move(curve));
  if (table_)
    estimate_scatter(out);
  else
    name_sources(out);
  ramps_.put(out);
  if (out.curves.empty()) return fail(Fault::input, "There is no point to read.");
  return out;
}

Result<void> take_off(Family& from, const Family& open) {
  int last = 0;
  for (const auto& curve : from.curves)
    for (const auto& p : curve.points)
      for (const auto& e : p.shared) last = std::max(last, e.source);
  for (auto& curve : from.curves) {
    const auto nearest = std::min_element(open.curves.begin(), open.curves.end(), [&](const Curve& a, const Curve& b) {
      const double at = curve.step.value_or(0);
      return std::abs(a.step.value_or(0) - at) < std::abs(b.step.value_or(0) - at);
    });
    if (nearest == open.curves.end()) return fail(Fault::input, "The take with the device out has no curve.");
    auto leak = sorted(*nearest);
    leak.log_current = false;
    for (auto& p : curve.points) {
      // Voltages that are read back differ in their last digits; the ends count as reached.
      const double slack = leak.voltage.size() > 1 ? 1e-3 * (leak.voltage.back() - leak.voltage.front()) : 0;
      if (leak.voltage.empty() || p.voltage < leak.voltage.front() - slack || p.voltage > leak.voltage.back() + slack)
        return fail(Fault::input, "The take with the device out does not reach {}; sweep it as far.",
                    format_quantity(p.voltage, "V", 3).plain());
      const double at = std::clamp(p.voltage, leak.voltage.front(), leak.voltage.back());
      p.current -= signal::interpolate(leak.voltage, leak.current, at).value_or(0);
      if (!p.u_current || !leak.certain()) continue;
      const auto k = std::min<std::size_t>(
          std::size_t(std::lower_bound(leak.voltage.begin(), leak.voltage.end(), at) - leak.voltage.begin()),
          leak.voltage.size() - 1);
      p.u_current->noise = std::hypot(p.u_current->noise, leak.noise_current[k]);
      for (const auto& [where, e] : leak.shared)
        if (where == k && e.second != 0) {
          p.shared.push_back({last + e.source, 0, -e.second});
          p.u_current->shared = std::hypot(p.u_current->shared, e.second);
        }
    }
  }
  from.opened = true;
  return {};
}

Result<Family> reduce_take(const std::vector<Point>& points) {
  Assembly own, open;
  bool opened = false;
  for (const auto& point : points) {
    const bool out = point.setting.purpose() == kDeviceOut;
    opened = opened || out;
    if (auto ok = (out ? open : own).add(point); !ok) return tl::unexpected(ok.error());
  }
  auto family = std::move(own).family();
  if (!family || !opened) return family;
  const auto without = std::move(open).family();
  if (!without) return tl::unexpected(without.error());
  if (auto ok = take_off(*family, *without); !ok) return tl::unexpected(ok.error());
  return family;
}

Result<Family> within(Family family, const Settings& settings) {
  if (!settings.from && !settings.to) return family;
  if (settings.from && settings.to && !(*settings.from < *settings.to))
    return fail(Fault::input, "from: {} does not lie below to, {}.", format_setting(*settings.from, "V"),
                format_setting(*settings.to, "V"));
  for (auto& curve : family.curves)
    std::erase_if(curve.points, [&](const CurvePoint& p) {
      return (settings.from && p.voltage < *settings.from) || (settings.to && p.voltage > *settings.to);
    });
  std::erase_if(family.curves, [](const Curve& curve) { return curve.points.empty(); });
  if (family.curves.empty())
    return fail(Fault::input, "from, to: no point lies between them; nothing is left to read.");
  return family;
}

}  // namespace heron::study::iv
