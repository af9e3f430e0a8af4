#include "study/conversion/rows.h"

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

namespace heron::study::conversion {
namespace {

constexpr double kOneLine = 0.02;    ///< inputs that follow each other more closely are one line
constexpr int kHeat = -1;            ///< number of a shunt's heat as a source; those of readings are above zero
constexpr double kSameSet = 1e-9;    ///< settings that differ by less are one

bool same(std::optional<double> a, std::optional<double> b) {
  if (a.has_value() != b.has_value()) return false;
  return !a || std::abs(*a - *b) <= kSameSet * std::max(std::abs(*a), std::abs(*b));
}

/// One setting: what was said of it; where nobody said anything, what was read, to the last digit.
bool one_setting(const Row& a, const Row& b) {
  if (!same(a.frequency, b.frequency) || !same(a.temperature, b.temperature) || !same(a.line, b.line) || !same(a.load, b.load)) return false;
  return (a.line || a.vin() == b.vin()) && (a.load || a.iout() == b.iout());
}

auto order_of(const Row& r) {
  return std::tuple(r.frequency.value_or(0), r.temperature.value_or(0), r.line_or_read(), r.load.value_or(r.iout()), r.vin(), r.iout());
}

Row mean_of(const Rows& same_setting) {
  Row out = same_setting.front();
  const double n = double(same_setting.size());
  if (n < 2) return out;
  out.readings = int(n);
  for (const auto port : kAllPorts) {
    double sum = 0, squares = 0, own = 0;
    std::map<int, double> shared;
    for (const auto& r : same_setting) {
      const auto& m = r.read[std::size_t(port)];
      sum += m.value;
      own += m.u * m.u;
      for (const auto& [source, effect] : m.shared) shared[source] += effect / n;
    }
    auto& m = out.of(port);
    m.value = sum / n;
    for (const auto& r : same_setting) squares += std::pow(r.at(port) - m.value, 2);
    m.u = std::max(std::sqrt(squares / (n - 1) / n), std::sqrt(own) / n);
    m.shared.assign(shared.begin(), shared.end());
  }
  return out;
}

bool together(const Row& a, const Row& b) { return same(a.frequency, b.frequency) && same(a.temperature, b.temperature); }

/// Rows, sorted by `value`, cut where it leaps.
template <class Said, class ValueOf>
std::vector<Rows> cut(Rows rows, Said said, ValueOf value, double floor) {
  std::stable_sort(rows.begin(), rows.end(), [&](const Row& a, const Row& b) {
    return std::tuple(a.frequency.value_or(0), a.temperature.value_or(0), value(a)) < std::tuple(b.frequency.value_or(0), b.temperature.value_or(0), value(b));
  });
  std::vector<Rows> out;
  for (auto& row : rows) {
    const bool joins = !out.empty() && together(out.back().back(), row) &&
                       (said(row) && said(out.back().back()) ? same(said(row), said(out.back().back()))
                                                             : std::abs(value(row) - value(out.back().back())) <= std::max(floor, kOneLine * std::abs(value(row))));
    if (!joins) out.emplace_back();
    out.back().push_back(std::move(row));
  }
  return out;
}

double mean(const Rows& rows, Port port) {
  double sum = 0;
  for (const auto& r : rows) sum += r.at(port);
  return sum / double(rows.size());
}

}  // namespace

std::string_view port_name(Port port) {
  static constexpr std::array<std::string_view, kPorts> kNames = {"vin", "iin", "vout", "iout"};
  return kNames[std::size_t(port)];
}

std::string_view port_unit(Port port) { return port == Port::vin || port == Port::vout ? "V" : "A"; }

Rows merged(Rows rows) {
  std::stable_sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) { return order_of(a) < order_of(b); });
  Rows out;
  for (std::size_t from = 0; from < rows.size();) {
    std::size_t to = from + 1;
    while (to < rows.size() && one_setting(rows[from], rows[to])) ++to;
    out.push_back(mean_of(Rows(rows.begin() + std::ptrdiff_t(from), rows.begin() + std::ptrdiff_t(to))));
    from = to;
  }
  return out;
}

Rows within_limits(const Rows& rows, const Settings& s) {
  Rows out;
  for (const auto& r : rows) {
    // What was set counts: what is read of it lies a little beside.
    const double line = r.line_or_read(), load = r.load.value_or(r.iout());
    if (s.line_from && line < *s.line_from * (1 - kSameSet)) continue;
    if (s.line_to && line > *s.line_to * (1 + kSameSet)) continue;
    if (s.load_from && load < *s.load_from * (1 - kSameSet)) continue;
    if (s.load_to && load > *s.load_to * (1 + kSameSet)) continue;
    out.push_back(r);
  }
  return out;
}

Rows with_heat(Rows rows, const Settings& settings) {
  for (const auto port : {Port::iin, Port::iout}) {
    const auto it = settings.shunts.find(port_name(port));
    if (it == settings.shunts.end()) continue;
    for (auto& r : rows) {
      auto& m = r.of(port);
      m.shared.emplace_back(kHeat - int(port), it->second.drift(m.value) * m.value);
    }
  }
  return rows;
}

std::vector<LoadCurve> load_curves(const Rows& rows) {
  std::vector<LoadCurve> out;
  for (auto& group : cut(rows, [](const Row& r) { return r.line; }, [](const Row& r) { return r.line_or_read(); }, 0)) {
    std::stable_sort(group.begin(), group.end(), [](const Row& a, const Row& b) { return a.iout() < b.iout(); });
    const auto& first = group.front();
    out.push_back({first.line ? *first.line : mean(group, Port::vin), first.frequency, first.temperature, std::move(group)});
  }
  return out;
}

std::vector<LineCurve> line_curves(const Rows& rows) {
  double highest = 0;
  for (const auto& r : rows) highest = std::max(highest, std::abs(r.iout()));
  constexpr double kNoLoad = 1e-3;  // of the highest: loads so close are one
  std::vector<LineCurve> out;
  for (auto& group : cut(rows, [](const Row& r) { return r.load; }, [](const Row& r) { return r.load.value_or(r.iout()); }, kNoLoad * highest)) {
    std::stable_sort(group.begin(), group.end(), [](const Row& a, const Row& b) { return a.vin() < b.vin(); });
    const auto &f = group.front().frequency, &t = group.front().temperature;
    out.push_back({mean(group, Port::iout), f, t, std::move(group)});
  }
  return out;
}

double between(double x, double x0, double y0, double x1, double y1) { return x1 == x0 ? (y0 + y1) / 2 : y0 + (x - x0) / (x1 - x0) * (y1 - y0); }

Value with_u(const Rows& rows, const std::function<double(const Rows&)>& of) {
  Value out{of(rows), 0, 0};
  auto moved = rows;
  double own = 0, shared = 0;
  std::set<int> sources;
  for (std::size_t k = 0; k < rows.size(); ++k)
    for (const auto port : kAllPorts) {
      const auto& m = rows[k].read[std::size_t(port)];
      for (const auto& [source, effect] : m.shared) sources.insert(source);
      if (!(m.u > 0)) continue;
      auto& value = moved[k].of(port).value;
      value = m.value + m.u;
      const double up = of(moved);
      value = m.value - m.u;
      own += std::pow((up - of(moved)) / 2, 2);
      value = m.value;
    }
  for (const int source : sources) {
    const auto at = [&](double sign) {
      for (std::size_t k = 0; k < rows.size(); ++k)
        for (const auto port : kAllPorts)
          for (const auto& [number, effect] : rows[k].read[std::size_t(port)].shared)
            if (number == source) moved[k].of(port).value += sign * effect;
      const double value = of(moved);
      moved = rows;
      return value;
    };
    shared += std::pow((at(1) - at(-1)) / 2, 2);
  }
  out.u_own = std::sqrt(own);
  out.u_shared = std::sqrt(shared);
  return out;
}

}  // namespace heron::study::conversion
