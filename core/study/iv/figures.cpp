#include "study/iv/figures.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "base/quantity.h"
#include "base/words.h"
#include "study/iv/definitions.h"

namespace heron::study::iv {
namespace {

constexpr int kDraws = 48;

/// A key taken apart: which figure, its numbers, and the step where one is named.
struct Asked {
  const CurveFigure* of_curve = nullptr;
  const FamilyFigure* of_family = nullptr;
  std::vector<double> parameters;
  std::optional<double> step;
};

std::vector<const CurveFigure*> curve_figures() {
  std::vector<const CurveFigure*> out;
  for (const auto* group : {&general_figures(), &junction_figures(), &transistor_figures()})
    for (const auto& f : *group) out.push_back(&f);
  return out;
}

Result<Asked> take_apart(std::string_view key) {
  const auto at = key.find('@');
  const auto name = key.substr(0, at);
  const auto numbers = at == std::string_view::npos ? std::vector<std::string>() : pieces(key.substr(at + 1));
  Asked out;
  std::vector<const char*> units;
  for (const auto* f : curve_figures())
    if (name == f->name) {
      out.of_curve = f;
      if (f->parameter) units.push_back(f->parameter);
    }
  for (const auto& f : family_figures())
    if (name == f.name) {
      out.of_family = &f;
      units = f.parameters;
    }
  if (!out.of_curve && !out.of_family)
    return fail(Fault::usage, "There is no figure \"{}\" of current and voltage.", key);
  const std::size_t most = units.size() + (out.of_curve ? 1 : 0);
  if (numbers.size() < units.size() || numbers.size() > most)
    return fail(Fault::usage, "{}: {} number{} wanted after the @{}.", key, units.size(),
                units.size() == 1 ? " is" : "s are",
                out.of_curve ? ", then a step where there are several curves" : "");
  for (std::size_t k = 0; k < numbers.size(); ++k) {
    // A step may be of any quantity; its unit is not asked.
    std::string text = numbers[k];
    Result<double> value = fail(Fault::usage, "");
    if (k < units.size()) {
      value = parse_value(text, units[k]);
    } else {
      for (const char* unit : {"1", "V", "A", "K", "degC", "lx", "W/m2"})
        if (!value) value = parse_value(text, unit);
    }
    if (!value) return fail(Fault::usage, "{}: \"{}\" is no number that is understood.", key, text);
    if (k < units.size())
      out.parameters.push_back(*value);
    else
      out.step = *value;
  }
  return out;
}

std::vector<View> views_of(const Family& family, const Settings& settings) {
  std::vector<View> out;
  for (const auto& curve : family.curves) out.push_back({family, curve, settings, sorted(curve)});
  return out;
}

std::string step_text(double step) { return fmt::format("{:.6g}", step); }

Value compute(const Asked& asked, const std::vector<View>& views) {
  if (asked.of_family) return asked.of_family->compute(views, asked.parameters);
  const View* view = nullptr;
  if (asked.step) {
    double nearest = 0;
    for (const auto& v : views)
      if (v.curve.step && (!view || std::abs(*v.curve.step - *asked.step) < nearest)) {
        view = &v;
        nearest = std::abs(*v.curve.step - *asked.step);
      }
    if (!view || nearest > 1e-6 * std::abs(*asked.step) + 1e-15) return no("there is no curve of that step");
  } else if (views.size() == 1) {
    view = &views.front();
  } else {
    return no(fmt::format("there are {} curves: say which by its step, such as {}@{}{}", views.size(),
                          asked.of_curve->name, asked.of_curve->parameter ? "VALUE," : "",
                          step_text(views.back().curve.step.value_or(0))));
  }
  if (view->sorted.voltage.size() < 2) return no("fewer than two points are not at compliance");
  return asked.of_curve->compute(*view, asked.parameters.empty() ? 0 : asked.parameters.front());
}

/// The family with errors drawn: noise for each reading, one error of each range for all readings on it.
Family with_errors(const Family& family, std::mt19937_64& random) {
  Family out = family;
  std::normal_distribution<double> normal;
  std::map<double, double> of_voltage, of_current;
  const auto moved = [&](const Doubtful& u, std::map<double, double>& shared, double range) {
    const auto [it, fresh] = shared.try_emplace(range, 0);
    if (fresh) it->second = normal(random);
    return u.noise * normal(random) + u.shared * it->second;
  };
  for (auto& curve : out.curves)
    for (auto& p : curve.points) {
      if (p.u_voltage) p.voltage += moved(*p.u_voltage, of_voltage, p.voltage_range);
      if (p.u_current) p.current += moved(*p.u_current, of_current, p.current_range);
    }
  return out;
}

bool has_uncertainty(const Family& family) {
  for (const auto& curve : family.curves)
    for (const auto& p : curve.points)
      if (p.u_voltage && p.u_current) return true;
  return false;
}

struct Wanted {
  std::string key, label, unit;
  Asked asked;
};

/// What no curve of a family gives, for one reason, is said once.
void join_absent(std::vector<Absent>& absent) {
  const auto name = [](const Absent& a) { return a.key.substr(0, a.key.find('@')); };
  for (std::size_t k = 0; k < absent.size(); ++k) {
    const auto same = [&, first = absent[k], own = name(absent[k])](const Absent& other) {
      return name(other) == own && other.reason == first.reason && other.key != first.key;
    };
    if (absent[k].key.find('@') == std::string::npos || absent[k].key.find(',') != std::string::npos) continue;
    if (std::none_of(absent.begin(), absent.end(), same)) continue;
    absent.erase(std::remove_if(absent.begin() + long(k) + 1, absent.end(), same), absent.end());
    absent[k].key = name(absent[k]);
    absent[k].label = absent[k].label.substr(0, absent[k].label.rfind(" at "));
  }
}

/// What is read without being asked for.
std::vector<Wanted> usual(const Family& family, const Settings& settings) {
  constexpr std::size_t kMostCurves = 12;
  std::vector<Wanted> out;
  const bool several = family.curves.size() > 1;
  for (const auto* f : curve_figures()) {
    if (f->parameter || (f->axis != settings.axis && !f->both_axes)) continue;
    if (!several) {
      out.push_back({f->name, f->label, f->unit, {.of_curve = f, .of_family = nullptr, .parameters = {}, .step = {}}});
      continue;
    }
    for (std::size_t k = 0; k < std::min(kMostCurves, family.curves.size()); ++k) {
      const double step = family.curves[k].step.value_or(0);
      out.push_back({fmt::format("{}@{}", f->name, step_text(step)),
                     fmt::format("{} at {}", f->label, format_setting(step, family.step_unit)),
                     f->unit,
                     {.of_curve = f, .of_family = nullptr, .parameters = {}, .step = step}});
    }
  }
  for (const auto& f : family_figures())
    if (f.parameters.empty() && f.axis == settings.axis)
      out.push_back({f.name, f.label, f.unit, {.of_curve = nullptr, .of_family = &f, .parameters = {}, .step = {}}});
  return out;
}

}  // namespace

Reading read(const Family& family, const Settings& settings, const std::vector<std::string>& asked) {
  auto wanted = usual(family, settings);
  for (const auto& key : asked) {
    if (std::any_of(wanted.begin(), wanted.end(), [&](const Wanted& w) { return w.key == key; })) continue;
    const auto apart = take_apart(key);
    if (!apart) continue;
    const auto* c = apart->of_curve;
    const std::string label = c ? c->label : apart->of_family->label;
    const auto at = key.find('@');
    wanted.push_back({key, at == std::string::npos ? label : label + " at " + key.substr(at + 1),
                      c ? c->unit : apart->of_family->unit, *apart});
  }
  const auto views = views_of(family, settings);
  Reading out;
  std::vector<const Wanted*> found;
  for (const auto& w : wanted) {
    const auto value = compute(w.asked, views);
    if (!value || !std::isfinite(*value)) {
      out.absent.push_back({w.key, value ? "the data give no finite value" : value.error(), w.label});
      continue;
    }
    out.figures.push_back({w.key, w.label, *value, w.unit, {}});
    found.push_back(&w);
  }
  if (family.curves.size() > 1) join_absent(out.absent);
  if (!has_uncertainty(family) || found.empty()) return out;
  std::mt19937_64 random(1);
  std::vector<double> squares(found.size());
  std::vector<int> counts(found.size());
  for (int draw = 0; draw < kDraws; ++draw) {
    const auto other = with_errors(family, random);
    const auto seen = views_of(other, settings);
    for (std::size_t k = 0; k < found.size(); ++k)
      if (const auto value = compute(found[k]->asked, seen); value && std::isfinite(*value)) {
        squares[k] += std::pow(*value - out.figures[k].value, 2);
        ++counts[k];
      }
  }
  for (std::size_t k = 0; k < found.size(); ++k)
    if (counts[k] > kDraws / 2) out.figures[k].u = std::sqrt(squares[k] / counts[k]);
  return out;
}

Result<void> check_figure_key(std::string_view key) {
  if (const auto apart = take_apart(key); !apart) return tl::unexpected(apart.error());
  return {};
}

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out;
  for (const auto* f : curve_figures()) out.push_back({f->label, f->name, f->unit});
  for (const auto& f : family_figures()) out.push_back({f.label, f.name, f.unit});
  return out;
}

std::optional<AtCursor> read_at(const Family& family, const Curve& curve, double voltage) {
  const auto s = sorted(curve);
  const auto i = current_at(s, voltage);
  if (!i) return std::nullopt;
  AtCursor out{.voltage = voltage,
               .current = *i,
               .power = voltage * *i,
               .conductance = slope_at(s, voltage),
               .resistance = {},
               .gain = {}};
  if (out.conductance && *out.conductance != 0) out.resistance = 1 / *out.conductance;
  if (family.step_unit == "A" && curve.step && *curve.step != 0) out.gain = *i / *curve.step;
  return out;
}

BetweenCursors between(const AtCursor& a, const AtCursor& b) {
  BetweenCursors out{b.voltage - a.voltage, b.current - a.current, {}};
  if (out.current != 0) out.resistance = out.voltage / out.current;
  return out;
}

}  // namespace heron::study::iv
