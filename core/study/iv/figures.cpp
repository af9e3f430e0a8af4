#include "study/iv/figures.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "base/quantity.h"
#include "base/words.h"
#include "signal/scatter.h"
#include "study/iv/definitions.h"
#include "study/iv/loop.h"

namespace heron::study::iv {
namespace {

/// A key taken apart: which figure, its numbers, and the step where one is named.
struct Asked {
  const CurveFigure* of_curve = nullptr;
  const FamilyFigure* of_family = nullptr;
  std::vector<double> parameters;
  std::optional<double> step;

  Rests rests() const { return of_curve ? of_curve->rests : of_family->rests; }
  /// The curve that a figure of one is read on; null where it is not told.
  const View* view(const std::vector<View>& views) const;
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
  for (const auto& curve : family.curves) out.push_back({family, curve, settings, sorted(curve), {}});
  return out;
}

std::string step_text(double step) { return fmt::format("{:.6g}", step); }

const View* Asked::view(const std::vector<View>& views) const {
  if (!step) return views.size() == 1 ? &views.front() : nullptr;
  const View* nearest = nullptr;
  for (const auto& v : views)
    if (v.curve.step && (!nearest || std::abs(*v.curve.step - *step) < std::abs(*nearest->curve.step - *step)))
      nearest = &v;
  return nearest && std::abs(*nearest->curve.step - *step) <= 1e-6 * std::abs(*step) + 1e-15 ? nearest : nullptr;
}

Value compute(const Asked& asked, const std::vector<View>& views) {
  if (asked.of_family) return asked.of_family->compute(views, asked.parameters);
  const View* view = asked.view(views);
  if (!view && asked.step) return no("there is no curve of that step");
  if (!view)
    return no(fmt::format("there are {} curves: say which by its step, such as {}@{}{}", views.size(),
                          asked.of_curve->name, asked.of_curve->parameter ? "VALUE," : "",
                          step_text(views.back().curve.step.value_or(0))));
  if (view->sorted.voltage.size() < 2) return no("fewer than two points are not at compliance");
  return asked.of_curve->compute(*view, asked.parameters.empty() ? 0 : asked.parameters.front());
}

struct Wanted {
  std::string key, label, unit;
  Asked asked;
};

/// What draws of the readings' errors do to a figure.
struct Spread {
  double bias = 0, u = 0;
  bool told = false;
};

/// The currents without their noise; of a log curve by their logarithms, where those are told apart from noise at all.
std::vector<double> quiet_current(const Sorted& s) {
  if (!s.log_current) return signal::without_noise(s.voltage, s.current, s.noise_current);
  constexpr double kTold = 0.2;
  std::vector<double> logs, u;
  for (std::size_t k = 0; k < s.current.size(); ++k) {
    const double size = std::abs(s.current[k]);
    logs.push_back(std::log(size));
    u.push_back(s.noise_current[k] < kTold * size ? s.noise_current[k] / size : 0);
  }
  auto out = signal::without_noise(s.voltage, logs, u);
  for (std::size_t k = 0; k < out.size(); ++k) out[k] = std::copysign(std::exp(out[k]), s.current[k]);
  return out;
}

/// Empty where nothing lies between the points of any.
std::vector<View> refined_views(const std::vector<View>& views, signal::Between between, std::size_t most_pieces = 64) {
  std::vector<std::optional<Sorted>> finer;
  for (const auto& v : views) finer.push_back(refined(v.sorted, between, most_pieces));
  if (std::none_of(finer.begin(), finer.end(), [](const auto& f) { return f.has_value(); })) return {};
  auto out = views;
  for (std::size_t k = 0; k < out.size(); ++k) {
    out[k].junction.reset();
    if (finer[k]) out[k].sorted = std::move(*finer[k]);
  }
  return out;
}

enum class Drawn {
  all,         ///< every error
  own,         ///< those that no readings share
  own_refined  ///< the same, read on the smooth curves through the drawn points
};

/// Seeded draws around the curves as they are without noise: noise for each reading, one error for each source that
/// readings share. Fewer draws for more points.
std::vector<Spread> propagate(const std::vector<const Wanted*>& wanted, const std::vector<View>& views,
                              Drawn what = Drawn::all) {
  auto centre = views;
  std::size_t points = 1;
  for (auto& v : centre) {
    points += v.sorted.voltage.size();
    v.junction.reset();
    auto& s = v.sorted;
    if (what != Drawn::all) s.shared.clear();
    if (s.certain()) s.current = quiet_current(s);
  }
  const int draws = int(std::clamp(2e6 / double(points), 8.0,
                                   what == Drawn::all   ? 128.0
                                   : what == Drawn::own ? 64.0
                                                        : std::clamp(12e3 / double(points), 10.0, 48.0)));
  constexpr std::size_t kPieces = 6;
  const auto read_on = [&](const std::vector<View>& of) {
    return what == Drawn::own_refined ? refined_views(of, signal::Between::quintics, kPieces) : std::vector<View>{};
  };
  const auto smooth_centre = read_on(centre);
  std::vector<double> at(wanted.size()), sum(wanted.size()), squares(wanted.size());
  std::vector<int> counts(wanted.size());
  for (std::size_t k = 0; k < wanted.size(); ++k) {
    auto value = compute(wanted[k]->asked, smooth_centre.empty() ? centre : smooth_centre);
    if (!value) value = compute(wanted[k]->asked, views);
    at[k] = value.value_or(std::nan(""));
  }
  std::mt19937_64 random(1);
  auto drawn = centre;
  SharedDraws all_shared(draws);
  for (int n = 0; n < draws; ++n) {
    SharedDraw shared(all_shared, n);
    for (std::size_t k = 0; k < drawn.size(); ++k) {
      drawn[k].junction.reset();
      if (centre[k].sorted.certain()) draw(centre[k].sorted, random, shared, drawn[k].sorted);
    }
    const auto smooth = read_on(drawn);
    for (std::size_t k = 0; k < wanted.size(); ++k) {
      if (wanted[k]->asked.rests() == Rests::ways || !std::isfinite(at[k])) continue;
      const auto value = compute(wanted[k]->asked, smooth.empty() ? drawn : smooth);
      if (!value || !std::isfinite(*value)) continue;
      sum[k] += *value - at[k];
      squares[k] += std::pow(*value - at[k], 2);
      ++counts[k];
    }
  }
  std::vector<Spread> out(wanted.size());
  for (std::size_t k = 0; k < wanted.size(); ++k) {
    if (2 * counts[k] <= draws) continue;
    const double mean = sum[k] / counts[k];
    out[k] = {mean, std::sqrt(std::max(0.0, squares[k] / counts[k] - mean * mean)), true};
  }
  return out;
}

/// The ways up and down know their own noise; what their readings share scales an area, and leaves an opening, which is
/// a share, as it is.
void put_loop_uncertainty(const Asked& asked, const std::vector<View>& views, Figure& figure) {
  const auto* view = asked.view(views);
  if (!view) return;
  figure.of_nothing = true;
  const auto loop = loop_of(view->curve);
  if (!loop || !loop->u_opening) return;
  if (asked.of_curve->unit == std::string_view("1")) {
    figure.u = loop->u_opening;
    return;
  }
  double gain = 0;
  const auto& s = view->sorted;
  for (const auto& [at, e] : s.shared) {
    const double by =
        std::hypot(s.voltage[at] != 0 ? e.first / s.voltage[at] : 0, s.current[at] != 0 ? e.second / s.current[at] : 0);
    if (std::abs(s.current[at]) > 0.5 * *std::max_element(s.current.begin(), s.current.end()))
      gain = std::max(gain, by);
  }
  figure.u = std::hypot(*loop->u_area, gain * figure.value);
}

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
  if (std::any_of(views.begin(), views.end(), is_source))
    std::erase_if(wanted, [&](const Wanted& w) {
      return w.asked.of_family && w.asked.of_family->of_devices &&
             std::find(asked.begin(), asked.end(), w.key) == asked.end();
    });
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
  const bool certain = std::any_of(views.begin(), views.end(), [](const View& v) { return v.sorted.certain(); });
  if (!certain || found.empty()) return out;
  const auto spreads = propagate(found, views);
  const bool any_shared =
      std::any_of(views.begin(), views.end(), [](const View& v) { return !v.sorted.shared.empty(); });
  const auto own = any_shared ? propagate(found, views, Drawn::own) : spreads;
  std::vector<Spread> refined_noise;
  const auto cubic = refined_views(views, signal::Between::cubics),
             quintic = refined_views(views, signal::Between::quintics);
  for (std::size_t k = 0; k < found.size(); ++k) {
    auto& figure = out.figures[k];
    const auto& what = found[k]->asked;
    if (what.rests() == Rests::ways) {
      put_loop_uncertainty(what, views, figure);
      continue;
    }
    if (!spreads[k].told) continue;
    figure.u = spreads[k].u;
    if (what.of_curve && what.of_curve->biased) figure.value -= spreads[k].bias;
    if (what.rests() != Rests::between || cubic.empty()) continue;
    const auto curved = compute(what, cubic), higher = compute(what, quintic);
    if (!curved || !higher || !std::isfinite(*curved) || !std::isfinite(*higher)) continue;
    const bool matters = signal::matters(*higher - figure.value, own[k].u);
    if (matters && refined_noise.empty()) refined_noise = propagate(found, views, Drawn::own_refined);
    const auto refined_by = matters ? refined_noise[k] : Spread{};
    const double pushed = what.of_curve && what.of_curve->biased ? refined_by.bias : 0;
    const auto right =
        signal::put_right(figure.value, std::max(own[k].u, refined_by.u), *curved - pushed, *higher - pushed);
    figure.value = right.value;
    figure.u_between = right.u_between;
    figure.u = std::hypot(*figure.u, right.u_between, signal::noise_added(right, own[k].u, refined_by.u));
  }
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
