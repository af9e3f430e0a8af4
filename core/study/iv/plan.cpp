#include "study/iv/plan.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/quantity.h"
#include "study/iv/ramp.h"
#include "study/iv/words.h"

namespace heron::study::iv {

using nlohmann::json;

namespace {

Result<void> check_values(const Source& s) {
  const auto& v = s.values;
  if (v.spacing == Spacing::listed) {
    if (v.listed.empty()) return fail(Fault::input, "{}: the list of values is empty.", s.name);
    for (const double x : v.listed)
      if (!std::isfinite(x)) return fail(Fault::input, "{}: a value of the list is no number.", s.name);
    return {};
  }
  if (!std::isfinite(v.start) || !std::isfinite(v.stop)) return fail(Fault::input, "{}: an end is no number.", s.name);
  const int fewest = s.role == Role::swept ? 2 : 1;
  if (v.points < fewest || v.points > kMostPoints)
    return fail(Fault::input, "{}: from {} to {} points are possible.", s.name, fewest, kMostPoints);
  if (v.points > 1 && v.start == v.stop)
    return fail(Fault::input, "{}: the sweep begins and ends at {}; it needs a span.", s.name,
                format_setting(v.start, s.unit()));
  if (v.spacing == Spacing::logarithmic && !(v.start * v.stop > 0))
    return fail(Fault::input, "{}: a log sweep goes between two values of one sign, other than zero.", s.name);
  return {};
}

}  // namespace

std::vector<double> list_of(const Values& v) {
  if (v.spacing == Spacing::listed) return v.listed;
  std::vector<double> out;
  for (int k = 0; k < v.points; ++k) {
    const double share = v.points > 1 ? double(k) / (v.points - 1) : 0;
    out.push_back(v.spacing == Spacing::linear ? v.start + (v.stop - v.start) * share
                                               : v.start * std::pow(v.stop / v.start, share));
  }
  if (v.points > 1) out.back() = v.stop;
  return out;
}

const Source* Plan::find(std::string_view name) const {
  const auto it = std::find_if(sources.begin(), sources.end(), [&](const Source& s) { return s.name == name; });
  return it == sources.end() ? nullptr : &*it;
}

const Source* Plan::swept() const {
  const auto it = std::find_if(sources.begin(), sources.end(), [](const Source& s) { return s.role == Role::swept; });
  return it == sources.end() ? nullptr : &*it;
}

const Source* Plan::stepped() const {
  const auto it = std::find_if(sources.begin(), sources.end(), [](const Source& s) { return s.role == Role::stepped; });
  return it == sources.end() ? nullptr : &*it;
}

const std::string& Plan::sensed_name() const {
  static const std::string none;
  if (!sensed.empty()) return sensed;
  return swept() ? swept()->name : none;
}

json to_json(const Plan& p) { return words().to_json(p); }

Result<Plan> plan_from_json(const json& in) {
  Plan p;
  if (auto ok = words().from_json(in, p); !ok) return tl::unexpected(ok.error());
  if (auto ok = check(p); !ok) return tl::unexpected(ok.error());
  return p;
}

bench::Hookup shunt_hookup(const std::string& pin) {
  bench::Chain voltage{.name = "v", .input = {.pin = pin, .range = {}}, .zero = {}};
  bench::Chain current{.name = "i", .input = {.pin = std::string(bench::kDriveLead), .range = {}}, .zero = {}};
  // The largest shunt that ships: a generator drives small currents.
  double largest = 0;
  for (const auto& sensor : bench::stock_sensors())
    if (sensor.kind == bench::SensorKind::shunt && sensor.resistance > largest) {
      largest = sensor.resistance;
      current.input.sensor = sensor;
    }
  return {.chains = {std::move(voltage), std::move(current)}, .computed = {}};
}

namespace {

/// What only a sweep by waveform asks.
Result<void> check_waveform(const Plan& p) {
  for (const auto& s : p.sources) {
    if (s.force != bench::Force::voltage)
      return fail(Fault::input, "{}: a generator forces a voltage; its current comes as it will.", s.name);
    if (!s.against.empty())
      return fail(Fault::input, "{}: a generator drives against ground, not against {}.", s.name, s.against);
  }
  if (int(p.sources.size()) > kGenerators)
    return fail(Fault::input, "By waveform {} sources can be driven; here {} are.", kGenerators, p.sources.size());
  if (const auto* s = p.swept(); s && s->values.spacing != Spacing::linear)
    return fail(Fault::input, "{}: a ramp is linear.", s->name);
  if (!(p.ramp >= 1e-6 && p.ramp <= 3600)) return fail(Fault::input, "A ramp takes from 1 us to 1 h.");
  if (!(p.source_resistance > 0)) return fail(Fault::input, "The generator's resistance must be above zero.");
  for (const auto& name : {p.voltage_name, p.current_name}) {
    const bool known = p.hookup.find(name) || std::any_of(p.hookup.computed.begin(), p.hookup.computed.end(),
                                                          [&](const bench::Computed& c) { return c.name == name; });
    if (!known) return fail(Fault::input, "The hookup senses no quantity \"{}\".", name);
  }
  if (p.voltage_name == p.current_name) return fail(Fault::input, "Voltage and current are the same quantity.");
  return {};
}

}  // namespace

Result<void> check(const Plan& p) {
  std::set<std::string> names, pins;
  int swept = 0, stepped = 0;
  for (const auto& s : p.sources) {
    if (s.name.empty() || !names.insert(s.name).second)
      return fail(Fault::input, "Every source has a name of its own; \"{}\" is not one.", s.name);
    if (s.pin.empty()) return fail(Fault::input, "{}: which pin does it drive?", s.name);
    if (!pins.insert(s.pin).second) return fail(Fault::input, "Two sources drive {}.", s.pin);
    if (!(s.compliance > 0) || !std::isfinite(s.compliance))
      return fail(Fault::input, "{}: the compliance must be above zero.", s.name);
    if (!std::isfinite(s.value) || !std::isfinite(s.rest))
      return fail(Fault::input, "{}: its value is no number.", s.name);
    if (s.current_range && !(*s.current_range > 0))
      return fail(Fault::input, "{}: the range must be above zero.", s.name);
    if (!(s.lowest_range >= 0)) return fail(Fault::input, "{}: the lowest range must not be negative.", s.name);
    swept += s.role == Role::swept;
    stepped += s.role == Role::stepped;
    if (s.role != Role::constant)
      if (auto ok = check_values(s); !ok) return ok;
  }
  if (swept != 1) return fail(Fault::input, "One source is swept; here {} are.", swept);
  if (stepped > 1) return fail(Fault::input, "One source at most is stepped; here {} are.", stepped);
  if (!p.sensed.empty() && !p.find(p.sensed))
    return fail(Fault::input, "There is no source \"{}\" whose current could be plotted.", p.sensed);
  if (p.cycles < 1 || p.cycles > 100) return fail(Fault::input, "From 1 to 100 cycles are possible.");
  if (!(p.delay >= 0 && p.delay <= 3600)) return fail(Fault::input, "The delay goes from 0 s to 1 h.");
  if (!(p.aperture >= 10e-6 && p.aperture <= 10)) return fail(Fault::input, "The aperture goes from 10 us to 10 s.");
  if (p.averages < 1 || p.averages > 1000) return fail(Fault::input, "From 1 to 1000 readings can be averaged.");
  if (!(p.hold >= 0 && p.hold <= 3600)) return fail(Fault::input, "Holding takes from 0 s to 1 h.");
  if (!(p.rest_time >= 0 && p.rest_time <= 3600)) return fail(Fault::input, "Resting takes from 0 s to 1 h.");
  if (p.method == Method::waveform)
    if (auto ok = check_waveform(p); !ok) return ok;
  if (!(p.temperature > -273.15 && p.temperature < 1000)) return fail(Fault::input, "The temperature makes no sense.");
  if (const auto n = steps_of(p).size(); n > std::size_t(kMostPoints))
    return fail(Fault::input, "The sweep would have {} points; {} are possible.", n, kMostPoints);
  return {};
}

std::vector<Step> steps_of(const Plan& p) {
  std::vector<Step> out;
  const auto* swept = p.swept();
  if (!swept) return out;
  auto there = list_of(swept->values);
  if (p.course == Course::down) std::reverse(there.begin(), there.end());
  std::vector<std::pair<double, int>> course;
  for (int cycle = 0; cycle < p.cycles; ++cycle) {
    // A turn is driven once.
    for (std::size_t k = cycle > 0 && p.course == Course::both ? 1 : 0; k < there.size(); ++k)
      course.emplace_back(there[k], cycle);
    if (p.course == Course::both)
      for (std::size_t k = there.size() - 1; k-- > 0;) course.emplace_back(there[k], cycle);
  }
  std::vector<std::optional<double>> curves = {std::nullopt};
  if (const auto* stepped = p.stepped()) {
    curves.clear();
    for (const double s : list_of(stepped->values)) curves.emplace_back(s);
  }
  for (const auto& step : curves)
    for (std::size_t k = 0; k < course.size(); ++k)
      out.push_back({.value = course[k].first, .step = step, .cycle = course[k].second, .first = k == 0});
  return out;
}

double sweep_time(const Plan& p, const bench::Limits& limits) {
  if (p.method == Method::waveform) return p.averages * (ramp_of(p).total() + 2 * p.rest_time);
  const auto steps = steps_of(p);
  const double curves = double(std::count_if(steps.begin(), steps.end(), [](const Step& s) { return s.first; }));
  return double(steps.size()) *
             (limits.source_measure_overhead + p.delay + p.aperture * p.averages * double(p.sources.size())) +
         curves * p.hold + 2 * p.rest_time;
}

}  // namespace heron::study::iv
