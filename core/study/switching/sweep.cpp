#include "study/switching/sweep.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "signal/linear_fit.h"

namespace heron::study::switching {
namespace {

constexpr double kSame = 0.03;  ///< relative: settings and currents that are one

bool same(double a, double b) { return std::abs(a - b) <= kSame * std::max(std::abs(a), std::abs(b)); }
bool same(const std::optional<double>& a, const std::optional<double>& b) { return a.has_value() == b.has_value() && (!a || same(*a, *b)); }

std::optional<Found> energy_of(const ReadShot& shot, Energy which) {
  const auto take = [&](Key key) -> std::optional<Found> {
    const auto& f = shot.get(key);
    return f.value ? std::optional(f) : std::nullopt;
  };
  switch (which) {
    case Energy::on: return take(Key::energy_on);
    case Energy::off: return take(Key::energy_off);
    case Energy::recovery: return take(Key::energy_recovery);
    case Energy::total: break;
  }
  auto on = take(Key::energy_on), off = take(Key::energy_off), recovery = take(Key::energy_recovery);
  if (!on || !off) return std::nullopt;
  for (const auto* other : {&off, &recovery}) {
    if (!*other) continue;
    on->value = *on->value + *(*other)->value;
    on->own = std::hypot(on->own, (*other)->own);
    for (std::size_t k = 0; k < kSources; ++k) on->shared[k] += (*other)->shared[k];
  }
  return on;
}

/// The mean of shots with one setting.
SweepPoint mean_of(const std::vector<SweepPoint>& all) {
  auto out = all.front();
  const double n = double(all.size());
  out.shots = int(all.size());
  out.load = out.bus = out.u_load = 0;
  for (const auto& one : all) {
    out.load += one.load / n;
    out.bus += one.bus / n;
    out.u_load = std::hypot(out.u_load, one.u_load / n);
  }
  for (std::size_t e = 0; e < kEnergies; ++e) {
    std::vector<double> values;
    double own = 0;
    Found mean;
    for (const auto& one : all) {
      if (!one.energy[e]) continue;
      values.push_back(*one.energy[e]->value);
      own = std::hypot(own, one.energy[e]->own);
      for (std::size_t k = 0; k < kSources; ++k) mean.shared[k] += one.energy[e]->shared[k];
    }
    out.energy[e].reset();
    if (values.empty()) continue;
    const double count = double(values.size());
    double sum = 0, squares = 0;
    for (const double v : values) sum += v / count;
    for (const double v : values) squares += (v - sum) * (v - sum);
    mean.value = sum;
    for (auto& s : mean.shared) s /= count;
    mean.own = std::max(own / count, values.size() > 1 ? std::sqrt(squares / (count - 1) / count) : 0.0);
    out.energy[e] = std::move(mean);
  }
  return out;
}

}  // namespace

std::string_view energy_name(Energy which) {
  constexpr std::string_view kNames[kEnergies] = {"energy.on", "energy.off", "energy.recovery", "energy.total"};
  return kNames[std::size_t(which)];
}
std::string_view energy_label(Energy which) {
  constexpr std::string_view kLabels[kEnergies] = {"Turn-on", "Turn-off", "Recovery", "Total"};
  return kLabels[std::size_t(which)];
}

std::string Family::name() const {
  std::string out;
  const auto add = [&](bool tells, const std::optional<double>& value, const char* unit) {
    if (tells && value) out += (out.empty() ? "" : ", ") + format_setting(*value, unit);
  };
  add(by_bus, bus, "V");
  add(by_resistor, resistor, "ohm");
  add(by_temperature, temperature, "degC");
  return out;
}

std::vector<Family> families_of(const std::vector<ReadShotPtr>& shots) {
  std::vector<Family> out;
  std::vector<std::vector<SweepPoint>> members;
  for (const auto& shot : shots) {
    const auto load = shot->load();
    if (!load) continue;
    const auto& event = shot->off ? shot->off->event : shot->on->event;
    SweepPoint p{.point = shot->setting.point, .setting = shot->setting, .load = load->value, .bus = event.bus.value, .u_load = load->u, .load_shared = (shot->off ? *shot->off : *shot->on).load_shared, .energy = {}};
    for (std::size_t e = 0; e < kEnergies; ++e) p.energy[e] = energy_of(*shot, Energy(e));
    // What was not set is told apart by what was read.
    const auto bus = shot->setting.bus ? shot->setting.bus : std::optional(p.bus);
    auto it = std::find_if(out.begin(), out.end(), [&](const Family& f) { return same(f.bus, bus) && same(f.resistor, shot->setting.resistor) && same(f.temperature, shot->setting.temperature); });
    if (it == out.end()) {
      out.push_back({.bus = bus, .resistor = shot->setting.resistor, .temperature = shot->setting.temperature, .points = {}});
      members.emplace_back();
      it = out.end() - 1;
    }
    members[std::size_t(it - out.begin())].push_back(std::move(p));
  }
  for (std::size_t f = 0; f < out.size(); ++f) {
    auto& all = members[f];
    std::stable_sort(all.begin(), all.end(), [](const SweepPoint& a, const SweepPoint& b) { return a.load < b.load; });
    for (std::size_t k = 0; k < all.size();) {
      std::vector<SweepPoint> alike = {all[k]};
      const auto& set = all[k].setting.current;
      // Of one setting; where none is told, shots are one where they cannot be told apart.
      for (++k; k < all.size() && (set ? same(all[k].setting.current, set) : same(all[k].load, alike.front().load)); ++k) alike.push_back(all[k]);
      out[f].points.push_back(mean_of(alike));
    }
    for (const auto& other : out) {
      out[f].by_bus = out[f].by_bus || !same(other.bus, out[f].bus);
      out[f].by_resistor = out[f].by_resistor || !same(other.resistor, out[f].resistor);
      out[f].by_temperature = out[f].by_temperature || !same(other.temperature, out[f].temperature);
    }
  }
  return out;
}

tl::expected<AtCurrent, std::string> energy_at(const Family& family, Energy which, double current) {
  std::vector<const SweepPoint*> has;
  for (const auto& p : family.points)
    if (p.energy[std::size_t(which)]) has.push_back(&p);
  if (has.empty()) return tl::unexpected<std::string>("no shot has it");
  // A current that was meant and is a hair beside what was read is no step outside.
  const double first = has.front()->load, last = has.back()->load;
  if (current < first * (1 - kSame) || current > last * (1 + kSame))
    return tl::unexpected(fmt::format("the shots go from {} to {}", format_quantity(first, "A", 3).plain(), format_quantity(last, "A", 3).plain()));
  if (has.size() == 1) {
    const auto& f = *has.front()->energy[std::size_t(which)];
    return AtCurrent{*f.value, std::hypot(f.u(), *f.value * (current / first - 1))};
  }
  auto above = std::find_if(has.begin() + 1, has.end() - 1, [&](const SweepPoint* p) { return p->load >= current; });
  const auto &a = **(above - 1), &b = **above;
  const auto &low = *a.energy[std::size_t(which)], &high = *b.energy[std::size_t(which)];
  const auto between = [&](double e_a, double i_a, double e_b, double i_b) { return e_a + (e_b - e_a) * (current - i_a) / (i_b - i_a); };
  const double value = between(*low.value, a.load, *high.value, b.load), share = (current - a.load) / (b.load - a.load), slope = (*high.value - *low.value) / (b.load - a.load);
  double squares = std::pow((1 - share) * low.own, 2) + std::pow(share * high.own, 2) + std::pow(slope * (1 - share) * a.u_load, 2) + std::pow(slope * share * b.u_load, 2);
  for (std::size_t k = 0; k < kSources; ++k)
    squares += std::pow(between(*low.value + low.shared[k], a.load + a.load_shared[k], *high.value + high.shared[k], b.load + b.load_shared[k]) - value, 2);
  return AtCurrent{value, std::sqrt(squares)};
}

std::optional<EnergyFit> fit_of(const Family& family, Energy which) {
  std::vector<const SweepPoint*> has;
  for (const auto& p : family.points)
    if (p.energy[std::size_t(which)]) has.push_back(&p);
  const auto n = has.size();
  if (n < 3) return std::nullopt;
  const double top = has.back()->load;
  if (!(top > 0)) return std::nullopt;
  std::vector<double> x, y;
  double own = 0;
  for (const auto* p : has) {
    const auto& energy = *p->energy[std::size_t(which)];
    x.push_back(p->load / top);
    y.push_back(*energy.value);
    own = std::hypot(own, energy.own / std::sqrt(double(n)));
  }
  const auto fit = signal::linear_fit(signal::powers(x, n < 4 ? 2 : 3), y);
  if (!fit) return std::nullopt;
  const double each = std::max(fit->residual, own);
  EnergyFit out{.constant = fit->of[0], .linear = fit->of[1] / top, .residual = fit->residual};
  out.u_constant = each * fit->each[0];
  out.u_linear = each * fit->each[1] / top;
  if (fit->of.size() > 2) {
    out.square = fit->of[2] / top / top;
    out.u_square = each * fit->each[2] / top / top;
  }
  return out;
}

Promised scaled(const Promised& promised, const Settings& settings, std::optional<double> bus, std::optional<double> resistor) {
  auto out = promised;
  double by = 1;
  if (settings.expected_voltage && bus) by *= *bus / *settings.expected_voltage;
  if (settings.expected_resistor && resistor) by *= *resistor / *settings.expected_resistor;
  for (auto& [current, energy] : out) energy *= by;
  return out;
}

}  // namespace heron::study::switching
