#include "study/conversion/read_at.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::study::conversion {
namespace {

std::string volts(double v) { return format_quantity(v, "V", 4).plain(); }

}  // namespace

Result<std::optional<AtLoad>> at_load(std::string_view key) {
  const auto at = key.find('@');
  if (at == std::string_view::npos) return std::optional<AtLoad>();
  const auto figure = std::find_if(std::begin(kAtLoad), std::end(kAtLoad), [&](const auto& n) { return key.substr(0, at) == n.key; });
  if (figure == std::end(kAtLoad)) return std::optional<AtLoad>();
  AtLoad out{.of = figure->of};
  const auto parts = pieces(key.substr(at + 1));
  const auto wrong = [&](std::string_view what) { return fail(Fault::usage, "{}: {} after @, such as {}@100mA.", key, what, figure->key); };
  if (parts.empty()) return wrong("an output current is wanted");
  const auto current = parse_value(parts.front(), "A");
  if (!current || !std::isfinite(*current)) return wrong("an output current is wanted");
  out.current = *current;
  if (parts.size() > 1 && out.of == AskedOf::dropout) return wrong("an output current alone is wanted");
  for (std::size_t k = 1; k < parts.size(); ++k) {
    const auto equals = parts[k].find('=');
    const auto name = equals == std::string::npos ? std::string("line") : trimmed(std::string_view(parts[k]).substr(0, equals));
    const auto text = equals == std::string::npos ? parts[k] : parts[k].substr(equals + 1);
    bool known = false;
    for (const auto& [which, unit, member] : {std::tuple{"line", "V", &AtLoad::line}, {"frequency", "Hz", &AtLoad::frequency}, {"temperature", "degC", &AtLoad::temperature}}) {
      if (name != which) continue;
      const auto value = parse_value(text, unit);
      if (!value) return fail(Fault::usage, "{}: {}", key, value.error().message);
      out.*member = *value;
      known = true;
    }
    if (!known) return wrong("a line, frequency=... or temperature=... may stand");
  }
  return std::optional(out);
}

tl::expected<const LoadCurve*, std::string> chosen(const std::vector<LoadCurve>& curves, const Settings& settings, const AtLoad* asked) {
  const auto wanted = [&](auto AtLoad::*of_key, auto Settings::*of_settings) { return asked && asked->*of_key ? asked->*of_key : settings.*of_settings; };
  const auto line = wanted(&AtLoad::line, &Settings::line), frequency = wanted(&AtLoad::frequency, &Settings::frequency), temperature = wanted(&AtLoad::temperature, &Settings::temperature);
  const auto near = [](double a, double b) { return std::abs(a - b) <= kAsked * std::max(std::abs(a), std::abs(b)); };
  std::vector<const LoadCurve*> fit;
  for (const auto& c : curves) {
    if (line && !near(c.line, *line)) continue;
    if (frequency && (!c.frequency || !near(*c.frequency, *frequency))) continue;
    if (temperature && (!c.temperature || std::abs(*c.temperature - *temperature) > 1)) continue;
    fit.push_back(&c);
  }
  // Two lines within a few per cent: the nearer one.
  if (line && fit.size() > 1) {
    const auto best = *std::min_element(fit.begin(), fit.end(), [&](const auto* a, const auto* b) { return std::abs(a->line - *line) < std::abs(b->line - *line); });
    std::erase_if(fit, [&](const auto* c) { return c->line != best->line; });
  }
  if (fit.size() == 1) return fit.front();
  std::vector<std::string> lines;
  for (const auto& c : curves)
    if (std::find(lines.begin(), lines.end(), volts(c.line)) == lines.end()) lines.push_back(volts(c.line));
  if (fit.empty()) {
    std::string all;
    for (std::size_t k = 0; k < std::min<std::size_t>(lines.size(), 8); ++k) all += (k == 0 ? "" : ", ") + lines[k];
    return tl::unexpected(fmt::format("no such curve was read; there are lines of {}{}", all, lines.size() > 8 ? "..." : ""));
  }
  const auto differs = [&](auto of) { return std::any_of(fit.begin(), fit.end(), [&](const auto* c) { return of(*c) != of(*fit.front()); }); };
  const auto [which, such_as] = differs([](const LoadCurve& c) { return c.frequency; })     ? std::pair{"frequency", "frequency=400kHz"}
                                : differs([](const LoadCurve& c) { return c.temperature; }) ? std::pair{"temperature", "temperature=25"}
                                                                                            : std::pair{"line", "12V"};
  return tl::unexpected(fmt::format("there are {} curves; set {}, or ask it at one, such as efficiency@100mA,{}", fit.size(), which, such_as));
}

tl::expected<std::pair<Value, double>, std::string> read_at(const LoadCurve& curve, double current, bool loss) {
  const auto& rows = curve.rows;
  const auto of = [loss](const Row& r) { return loss ? r.loss() : r.efficiency(); };
  const auto alone = [&](const Row& r) { return std::pair{with_u({r}, [&](const Rows& one) { return of(one[0]); }), 0.0}; };
  constexpr double kAt = 1e-3;  // of the current: a point so close is the one that is asked
  const auto there = std::find_if(rows.begin(), rows.end(), [&](const Row& r) { return std::abs(r.iout() - current) <= kAt * std::abs(current); });
  if (there != rows.end() && !std::isfinite(of(*there))) return tl::unexpected<std::string>("no power goes in there");
  const auto outside = [&] { return tl::unexpected(fmt::format("{} lies outside the loads that were read", format_quantity(current, "A", 4).plain())); };
  if (rows.empty()) return outside();
  if (current < rows.front().iout() || current > rows.back().iout()) {
    const auto& end = current < rows.front().iout() ? rows.front() : rows.back();
    // A load that was set to what is asked reads a little beside it: the nearest two points tell it all the same.
    const bool set_there = end.load && std::abs(*end.load - current) <= 1e-6 * std::abs(current);
    if (!set_there && std::abs(end.iout() - current) > kAsked * std::abs(current)) return outside();
  }
  if (rows.size() == 1) return alone(rows.front());
  auto k = std::size_t(std::upper_bound(rows.begin(), rows.end(), current, [](double c, const Row& r) { return c < r.iout(); }) - rows.begin());
  k = std::clamp<std::size_t>(k, 1, rows.size() - 1);
  const auto line = [&](const Rows& r) { return between(current, r[0].iout(), of(r[0]), r[1].iout(), of(r[1])); };
  auto value = with_u({rows[k - 1], rows[k]}, line);
  if (!std::isfinite(value.value)) {
    if (there == rows.end()) return tl::unexpected<std::string>("no power goes in there");
    return alone(*there);
  }
  // What a parabola through the nearer neighbour says otherwise.
  double apart = 0;
  const auto third = k + 1 < rows.size() && (k < 2 || rows[k + 1].iout() - current < current - rows[k - 2].iout()) ? k + 1 : k >= 2 ? k - 2 : k;
  if (third != k) {
    const double x0 = rows[k - 1].iout(), x1 = rows[k].iout(), x2 = rows[third].iout();
    if (x0 != x1 && x1 != x2 && x0 != x2) {
      const double second = ((of(rows[third]) - of(rows[k])) / (x2 - x1) - (of(rows[k]) - of(rows[k - 1])) / (x1 - x0)) / (x2 - x0);
      apart = std::abs((current - x0) * (current - x1) * second);
    }
  }
  return std::pair{value, std::isfinite(apart) ? apart : 0.0};
}

}  // namespace heron::study::conversion
