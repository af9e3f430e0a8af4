#include "study/response/figures.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/conversions.h"
#include "base/quantity.h"
#include "signal/curve.h"
#include "study/response/definitions.h"
#include "study/response/propagate.h"
#include "study/response/resonator.h"

namespace heron::study::response {
namespace {

/// Where the reference lies and its gain.
struct Reference {
  double lg = 0, gain = 0;
};

tl::expected<Reference, std::string> reference(const CurveColumns& c, const Settings& s) {
  const auto highest = std::size_t(std::max_element(c.gain.begin(), c.gain.end()) - c.gain.begin());
  const auto at = [&](std::size_t i) { return Reference{c.lg[i], c.gain[i]}; };
  if (s.reference_frequency) {
    const auto gain = signal::interpolate(c.lg, c.gain, std::log10(*s.reference_frequency));
    if (!gain) return no("the reference frequency lies outside the sweep");
    return Reference{std::log10(*s.reference_frequency), *gain};
  }
  if (s.reference == "first") return at(0);
  if (s.reference == "last") return at(c.gain.size() - 1);
  if (s.reference == "max") return at(highest);
  if (c.gain.front() >= c.gain[highest] - 1) return at(0);
  if (c.gain.back() >= c.gain[highest] - 1) return at(c.gain.size() - 1);
  return at(highest);
}

/// lg f where y crosses `level` between two points of the segment.
double crossing(const std::vector<double>& lg, const std::vector<double>& y, std::size_t i, double level) {
  return lg[i] + (lg[i + 1] - lg[i]) * (level - y[i]) / (y[i + 1] - y[i]);
}

Value corner(const CurveColumns& c, const Settings& s, bool high) {
  const auto ref = reference(c, s);
  if (!ref) return no(ref.error());
  const double level = ref->gain - s.drop_db;
  const auto n = c.lg.size();
  // Outward from the reference; the segment that holds it begins at the reference itself.
  const auto falls = [&](std::size_t inner, std::size_t outer) -> std::optional<double> {
    const bool holds = high ? c.lg[inner] <= ref->lg : c.lg[inner] >= ref->lg;
    const double x = holds ? ref->lg : c.lg[inner], y = holds ? ref->gain : c.gain[inner];
    if (y < level || c.gain[outer] >= level) return std::nullopt;
    return std::pow(10, x + (c.lg[outer] - x) * (level - y) / (c.gain[outer] - y));
  };
  for (std::size_t k = 0; k + 1 < n; ++k) {
    const std::size_t inner = high ? k : n - 1 - k, outer = high ? k + 1 : n - 2 - k;
    if (high ? c.lg[outer] <= ref->lg : c.lg[outer] >= ref->lg) continue;
    if (const auto at = falls(inner, outer)) return *at;
  }
  return no(fmt::format("the gain does not fall {:.4g} dB below its reference within the sweep", s.drop_db));
}

std::optional<signal::Vertex> extreme(const CurveColumns& c, bool highest) {
  const auto it =
      highest ? std::max_element(c.gain.begin(), c.gain.end()) : std::min_element(c.gain.begin(), c.gain.end());
  const auto i = std::size_t(it - c.gain.begin());
  if (i == 0 || i + 1 >= c.gain.size()) return std::nullopt;
  return signal::parabola_vertex(c.lg[i - 1], c.gain[i - 1], c.lg[i], c.gain[i], c.lg[i + 1], c.gain[i + 1]);
}

Value vertex_figure(const CurveColumns& c, const Settings& s, bool highest, char what) {
  const auto v = extreme(c, highest);
  if (!v)
    return no(highest ? "the highest gain is at an end of the sweep" : "the lowest gain is at an end of the sweep");
  if (what == 'f') return std::pow(10, v->x);
  if (what == 'g') return v->y;
  const auto ref = reference(c, s);
  if (!ref) return no(ref.error());
  return highest ? v->y - ref->gain : ref->gain - v->y;
}

Value band(const CurveColumns& c, const Settings& s, char what) {
  const auto low = corner(c, s, false), high = corner(c, s, true);
  if (!low && !high) return no("neither corner lies within the sweep");
  if (!low) return no("the low corner does not lie within the sweep");
  if (!high) return no("the high corner does not lie within the sweep");
  const double width = *high - *low, centre = std::sqrt(*low * *high);
  return what == 'b' ? width : what == 'c' ? centre : centre / width;
}

Value loop(const CurveColumns& c, char what) {
  if (what == 'g' || what == 'p') {
    for (std::size_t i = 0; i + 1 < c.lg.size(); ++i) {
      if (!(c.gain[i] >= 0 && c.gain[i + 1] < 0)) continue;
      const double at = crossing(c.lg, c.gain, i, 0);
      if (what == 'g') return std::pow(10, at);
      if (!c.has_phase) return no("the data have no phase");
      return signal::wrap_degrees(180 + *signal::interpolate(c.lg, c.phase, at));
    }
    return no("the gain does not fall through 0 dB within the sweep");
  }
  if (!c.has_phase) return no("the data have no phase");
  for (std::size_t i = 0; i + 1 < c.lg.size(); ++i) {
    // -180 deg, or that and whole turns: which of them lies between the two points.
    const double low = std::min(c.phase[i], c.phase[i + 1]), high = std::max(c.phase[i], c.phase[i + 1]);
    const double level = -180 + 360 * std::ceil((low + 180) / 360);
    // A curve that starts right there has not crossed it; one that arrives there has.
    if (level > high || low == high || c.phase[i] == level) continue;
    const double at = crossing(c.lg, c.phase, i, level);
    return what == 'f' ? std::pow(10, at) : -*signal::interpolate(c.lg, c.gain, at);
  }
  return no("the phase does not cross \u2212180\u00b0 within the sweep");
}

/// The points inside [from, to] with both ends interpolated.
tl::expected<std::pair<std::vector<double>, std::vector<double>>, std::string> stretch(const std::vector<double>& lg,
                                                                                       const std::vector<double>& of,
                                                                                       double from, double to) {
  const double low = std::log10(from), high = std::log10(to);
  const auto first = signal::interpolate(lg, of, low), last = signal::interpolate(lg, of, high);
  if (!first || !last) return no("part of the range lies outside the sweep");
  std::vector<double> x = {low}, y = {*first};
  for (std::size_t i = 0; i < lg.size(); ++i)
    if (lg[i] > low && lg[i] < high) {
      x.push_back(lg[i]);
      y.push_back(of[i]);
    }
  x.push_back(high);
  y.push_back(*last);
  return std::pair{x, y};
}

Value over_range(const CurveColumns& c, double from, double to, bool slope) {
  const auto part = stretch(c.lg, c.gain, from, to);
  if (!part) return no(part.error());
  if (slope) {
    const auto line = signal::fit_line(part->first, part->second);
    return line ? Value(line->slope) : Value(no("the range holds no two points"));
  }
  const auto [low, high] = std::minmax_element(part->second.begin(), part->second.end());
  return *high - *low;
}

Value group_delay(const CurveColumns& c, double at) {
  if (!c.has_phase) return no("the data have no phase");
  std::size_t left = 0, right = 0;
  const auto exact = std::find_if(c.points.begin(), c.points.end(), [&](auto* p) { return p->frequency == at; });
  if (exact != c.points.end()) {
    const auto i = std::size_t(exact - c.points.begin());
    if (i == 0 || i + 1 >= c.points.size()) return no("the frequency is an end of the sweep");
    left = i - 1;
    right = i + 1;
  } else {
    const auto i = signal::segment_of(c.every_lg(), std::log10(at));
    if (!i) return no("the frequency lies outside the sweep");
    left = *i;
    right = *i + 1;
  }
  return -(c.every_phase()[right] - c.every_phase()[left]) / 360 /
         (c.points[right]->frequency - c.points[left]->frequency);
}

Value at_frequency(const CurveColumns& c, double at, bool phase) {
  if (phase && !c.has_phase) return no("the data have no phase");
  if (!phase && c.impedance && c.has_phase) {
    const auto z = c.value(at);
    return z ? Value(20 * std::log10(std::abs(*z))) : Value(no("the frequency lies outside the sweep"));
  }
  // Asked for by name it is read on lines that are not trusted too, with what that makes it worth.
  const auto value = signal::interpolate(c.every_lg(), phase ? c.every_phase() : c.every_gain(), std::log10(at));
  return value ? Value(*value) : Value(no("the frequency lies outside the sweep"));
}

Value lowest_coherence(const CurveColumns& c, double from, double to) {
  if (c.coherence.empty()) return no("the data have no coherence");
  const auto part = stretch(c.every_lg(), c.coherence, from, to);
  if (!part) return no(part.error());
  return *std::min_element(part->second.begin(), part->second.end());
}

std::vector<double> both_corners(const CurveColumns& c, const Settings& s, double) {
  return {*corner(c, s, false), *corner(c, s, true)};
}
std::vector<double> at_extreme(const CurveColumns& c, bool highest) { return {std::pow(10, extreme(c, highest)->x)}; }

}  // namespace

const std::vector<Definition>& plain_figures() {
  static const std::vector<Definition> all = {
      {"gain.reference", "Reference gain", "dB",
       [](const CurveColumns& c, const Settings& s) -> Value {
         const auto r = reference(c, s);
         return r ? Value(r->gain) : Value(no(r.error()));
       },
       [](auto& c, auto& s, double) { return std::vector{std::pow(10, reference(c, s)->lg)}; }, true},
      {"corner.low", "Low corner", "Hz", [](auto& c, auto& s) { return corner(c, s, false); }, itself, true},
      {"corner.high", "High corner", "Hz", [](auto& c, auto& s) { return corner(c, s, true); }, itself, true},
      {"bandwidth", "Bandwidth", "Hz", [](auto& c, auto& s) { return band(c, s, 'b'); }, both_corners, true},
      {"centre", "Centre", "Hz", [](auto& c, auto& s) { return band(c, s, 'c'); }, itself, true},
      {"q", "Q", "1", [](auto& c, auto& s) { return band(c, s, 'q'); }, both_corners, true},
      {"peak.frequency", "Peak frequency", "Hz", [](auto& c, auto& s) { return vertex_figure(c, s, true, 'f'); },
       [](auto& c, auto&, double) { return at_extreme(c, true); }},
      {"peak.gain", "Peak gain", "dB", [](auto& c, auto& s) { return vertex_figure(c, s, true, 'g'); },
       [](auto& c, auto&, double) { return at_extreme(c, true); }, true},
      {"peak.height", "Peak height", "dB", [](auto& c, auto& s) { return vertex_figure(c, s, true, 'h'); },
       [](auto& c, auto&, double) { return at_extreme(c, true); }, true},
      {"notch.frequency", "Notch frequency", "Hz", [](auto& c, auto& s) { return vertex_figure(c, s, false, 'f'); },
       [](auto& c, auto&, double) { return at_extreme(c, false); }},
      {"notch.depth", "Notch depth", "dB", [](auto& c, auto& s) { return vertex_figure(c, s, false, 'h'); },
       [](auto& c, auto&, double) { return at_extreme(c, false); }, true},
      {"crossover.gain", "Gain crossover", "Hz", [](auto& c, auto&) { return loop(c, 'g'); }, itself},
      {"margin.phase", "Phase margin", "deg", [](auto& c, auto&) { return loop(c, 'p'); },
       [](auto& c, auto&, double) { return std::vector{*loop(c, 'g')}; }, false, false, true},
      {"crossover.phase", "Phase crossover", "Hz", [](auto& c, auto&) { return loop(c, 'f'); }, itself},
      {"margin.gain", "Gain margin", "dB", [](auto& c, auto&) { return loop(c, 'm'); },
       [](auto& c, auto&, double) { return std::vector{*loop(c, 'f')}; }},
  };
  return all;
}

namespace {

Result<double> key_frequency(std::string_view key, std::string_view text) {
  const auto f = parse_value(text, "Hz");
  if (!f) return fail(Fault::usage, "{}: {}", key, f.error().message);
  if (!(*f > 0)) return fail(Fault::usage, "{}: the frequency must be above zero.", key);
  return *f;
}

}  // namespace

Result<Definition> define(std::string_view key) {
  for (const auto* all : {&plain_figures(), &impedance_figures()})
    for (const auto& d : *all)
      if (d.key == key) return d;
  const std::string name(key);
  if (const auto at = key.find('@'); at != std::string_view::npos) {
    const auto base = key.substr(0, at);
    const bool known = base == "gain" || base == "phase" || base == "delay.group";
    if (impedance_figure_at(base, "", 1)) {
      const auto f = key_frequency(key, key.substr(at + 1));
      if (!f) return tl::unexpected(f.error());
      return *impedance_figure_at(base, name, *f);
    }
    if (known) {
      const auto f = key_frequency(key, key.substr(at + 1));
      if (!f) return tl::unexpected(f.error());
      const std::string where = " at " + format_setting(*f, "Hz");
      const auto where_it_is = [f = *f](const CurveColumns&, const Settings&, double) { return std::vector{f}; };
      if (base == "gain")
        return Definition{.key = name,
                          .label = "Gain" + where,
                          .unit = "dB",
                          .compute = [f = *f](auto& c, auto&) { return at_frequency(c, f, false); },
                          .where = where_it_is,
                          .of_all_lines = true};
      if (base == "phase")
        return Definition{.key = name,
                          .label = "Phase" + where,
                          .unit = "deg",
                          .compute = [f = *f](auto& c, auto&) { return at_frequency(c, f, true); },
                          .where = where_it_is,
                          .angle = true,
                          .of_all_lines = true};
      return Definition{.key = name,
                        .label = "Group delay" + where,
                        .unit = "s",
                        .compute = [f = *f](auto& c, auto&) { return group_delay(c, f); },
                        .where = where_it_is,
                        .on_points = true,
                        .of_all_lines = true};
    }
  }
  if (const auto open = key.find('('); open != std::string_view::npos && key.ends_with(')')) {
    const auto base = key.substr(0, open);
    const auto inside = key.substr(open + 1, key.size() - open - 2);
    const auto comma = inside.find(',');
    if ((base == "slope" || base == "ripple" || base == "coherence.min") && comma != std::string_view::npos) {
      const auto from = key_frequency(key, inside.substr(0, comma)), to = key_frequency(key, inside.substr(comma + 1));
      if (!from) return tl::unexpected(from.error());
      if (!to) return tl::unexpected(to.error());
      if (!(*to > *from)) return fail(Fault::usage, "{}: the range must end above its start.", key);
      const auto ends = [a = *from, b = *to](const CurveColumns&, const Settings&, double) {
        return std::vector{a, b};
      };
      if (base == "coherence.min")
        return Definition{
            name, fmt::format("Lowest coherence {} to {}", format_setting(*from, "Hz"), format_setting(*to, "Hz")),
            "1",  [a = *from, b = *to](auto& c, auto&) { return lowest_coherence(c, a, b); },
            ends, true,
            true, false,
            true};
      const bool slope = base == "slope";
      const std::string label = fmt::format("{} {} to {}", slope ? "Slope" : "Ripple", format_setting(*from, "Hz"),
                                            format_setting(*to, "Hz"));
      return Definition{name,
                        label,
                        slope ? "dB/decade" : "dB",
                        [a = *from, b = *to, slope](auto& c, auto&) { return over_range(c, a, b, slope); },
                        ends,
                        !slope,
                        slope};
    }
  }
  return fail(Fault::usage, "A response has no figure \"{}\".", key);
}

namespace {

/// Where lines that are not trusted leave a gap, straight across it is as good as a step at either of its ends: what
/// that does to a figure, as the spread of an even distribution between the two.
double u_of_gaps(const Definition& d, const CurveColumns& columns, const std::vector<std::size_t>& gaps,
                 const Settings& settings, double value) {
  double squares = 0;
  for (const bool early : {false, true}) {
    CurveColumns c = columns;
    c.lg.clear();
    c.f.clear();
    c.gain.clear();
    c.phase.clear();
    auto gap = gaps.begin();
    for (std::size_t i = 0; i < columns.lg.size(); ++i) {
      const auto put = [&](double lg, double f, std::size_t of) {
        c.lg.push_back(lg);
        c.f.push_back(f);
        c.gain.push_back(columns.gain[of]);
        c.phase.push_back(columns.phase[of]);
      };
      put(columns.lg[i], columns.f[i], i);
      if (gap == gaps.end() || *gap != i) continue;
      ++gap;
      const double near = early ? 1e-3 : 1 - 1e-3;
      const double lg = columns.lg[i] + near * (columns.lg[i + 1] - columns.lg[i]);
      put(lg, std::pow(10, lg), early ? i + 1 : i);
    }
    if (const auto stepped = d.compute(c, settings)) squares = std::max(squares, std::pow(*stepped - value, 2));
  }
  return std::sqrt(squares / 3);
}

/// The curve as smooth ones of several orders have it.
struct Smooth {
  CurveColumns cubic, quintic;
  explicit Smooth(const CurveColumns& columns)
      : cubic(refined(columns)), quintic(refined(columns, signal::Between::quintics)) {}
};

/// The figure with what straight lines between the points leave out put right, as far as that is more than noise. What
/// remains unknown of it joins u.
/// @param noise          of the figure on straight lines
/// @param noise_refined  tells that on smooth curves, which lean on more points, and what noise pushes an extreme by
/// there
void put_right_between(const Definition& d, const Smooth& smooth, const Settings& settings, double noise,
                       const std::function<Spread()>& noise_refined, Figure& figure) {
  const auto curved = d.compute(smooth.cubic, settings), higher = d.compute(smooth.quintic, settings);
  if (!curved || !higher || !std::isfinite(*curved) || !std::isfinite(*higher)) return;
  const auto refined = signal::matters(*higher - figure.value, noise) ? noise_refined() : Spread{};
  const double pushed = d.biased ? refined.bias : 0;
  const auto right = signal::put_right(figure.value, std::max(noise, refined.u), *curved - pushed, *higher - pushed);
  figure.value = right.value;
  figure.u_between = right.u_between;
  figure.u = std::hypot(figure.u.value_or(0), figure.u_between, signal::noise_added(right, noise, refined.u));
}

}  // namespace

Result<void> check_figure_key(std::string_view key) {
  if (is_resonator_figure(key)) return {};
  const auto d = define(key);
  if (!d) return tl::unexpected(d.error());
  return {};
}

void read_figures(const Curve& curve, const Settings& settings, const std::vector<std::string>& asked, Reading& into) {
  const CurveColumns columns = columns_of(curve, settings);
  std::vector<Definition> wanted = plain_figures();
  if (columns.impedance) wanted.insert(wanted.end(), impedance_figures().begin(), impedance_figures().end());
  for (const auto& key : asked) {
    auto d = define(key);
    const bool twice = std::any_of(wanted.begin(), wanted.end(), [&](const Definition& w) { return w.key == key; });
    if (d && !twice) wanted.push_back(std::move(*d));
  }
  std::vector<Definition> there;
  std::vector<double> values;
  for (auto& d : wanted) {
    if (columns.f.empty() && !d.of_all_lines) {
      into.absent.push_back(
          {d.key, curve.points.empty() ? "there are no points" : "no line is coherent enough to be trusted", d.label});
      continue;
    }
    const auto value = d.compute(columns, settings);
    if (value && std::isfinite(*value)) {
      values.push_back(*value);
      there.push_back(std::move(d));
    } else {
      into.absent.push_back({d.key, value ? "the data do not determine it" : value.error(), d.label});
    }
  }
  const Errors errors(curve, columns);
  const auto spreads = propagate(there, errors, settings);
  const auto gaps = columns.gaps();
  // Lines of noise stand so close that nothing lies between them.
  const bool stepped = errors.known() && curve.independent == 0 && gaps.empty();
  // What a smooth curve adds is as noisy as the points are by themselves; what they share moves it along.
  const auto own = stepped && errors.any_shared() ? propagate(there, errors, settings, Drawn::own) : spreads;
  const std::optional<Smooth> smooth = stepped ? std::optional<Smooth>(columns) : std::nullopt;
  std::vector<Spread> refined_noise;
  for (std::size_t k = 0; k < there.size(); ++k) {
    const auto& d = there[k];
    Figure figure{d.key, d.label, values[k], d.unit, {}};
    if (spreads[k].told && spreads[k].u > 0) figure.u = spreads[k].u;
    if (spreads[k].told && d.biased) figure.value -= spreads[k].bias;
    if (smooth && figure.u && !d.on_points) {
      const auto noise_refined = [&] {
        if (refined_noise.empty()) refined_noise = propagate(there, errors, settings, Drawn::own_refined);
        return refined_noise[k];
      };
      put_right_between(d, *smooth, settings, own[k].u, noise_refined, figure);
    }
    if (figure.u && !gaps.empty() && !d.of_all_lines) {
      figure.u_between = u_of_gaps(d, columns, gaps, settings, values[k]);
      figure.u = std::hypot(*figure.u, figure.u_between);
    }
    const auto& curve_read =
        smooth && figure.u_between > 0 && d.compute(smooth->quintic, settings) ? smooth->quintic : columns;
    if (d.where) figure.at = d.where(curve_read, settings, figure.value);
    into.figures.push_back(std::move(figure));
  }
  if (curve.removed_db)
    into.figures.push_back({"gain.removed", "Level removed", *curve.removed_db, "dB", {}, {*settings.normalise}});
  else if (settings.normalise)
    into.absent.push_back({"gain.removed", "the normalising frequency lies outside the sweep", "Level removed"});
  const bool fitted =
      (settings.fit && columns.impedance) || std::any_of(asked.begin(), asked.end(), is_resonator_figure);
  if (fitted) read_resonator(curve, settings, into);
}

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out = {{"Gain", "gain", "dB", "Hz"},
                                 {"Phase", "phase", "deg", "Hz"},
                                 {"Group delay", "delay.group", "s", "Hz"},
                                 {"Slope", "slope", "dB/decade"},
                                 {"Ripple", "ripple", "dB"},
                                 {"Lowest coherence", "coherence.min", "1"},
                                 {"Level removed", "gain.removed", "dB"}};
  for (const auto* all : {&plain_figures(), &impedance_figures()})
    for (const auto& d : *all) out.push_back({d.label, d.key, d.unit});
  for (auto& name : impedance_names()) out.push_back(std::move(name));
  for (auto& name : resonator_names()) out.push_back(std::move(name));
  return out;
}

Reading read(const Curve& curve, const Settings& settings, const std::vector<std::string>& asked) {
  Reading out;
  read_figures(curve, settings, asked, out);
  raise_doubts(curve, settings, asked, out);
  return out;
}

}  // namespace heron::study::response
