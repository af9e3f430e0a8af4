#include "study/conversion/figures.h"

#include <Eigen/Dense>
#include <algorithm>
#include <random>

#include "base/quantity.h"
#include "base/random.h"
#include "base/words.h"
#include "study/watched.h"

namespace heron::study::conversion {
namespace {

struct NamedFigure {
  const char *key, *label, *unit;
};
constexpr NamedFigure kFigures[] = {{"efficiency.max", "Highest efficiency", "1"},
                                    {"efficiency.max.at", "Output current at the highest efficiency", "A"},
                                    {"regulation.line", "Line regulation", "V"},
                                    {"regulation.line.percent", "Line regulation, relative", "%"},
                                    {"regulation.line.percent_per_volt", "Line regulation per volt", "%/V"},
                                    {"regulation.load", "Load regulation", "V"},
                                    {"regulation.load.percent", "Load regulation, relative", "%"},
                                    {"ripple", "Ripple", "V"},
                                    {"transient.dip", "Dip at a load step", "V"},
                                    {"transient.overshoot", "Overshoot at a load step", "V"},
                                    {"transient.recovery", "Recovery from a load step", "s"},
                                    {"power.idle", "Input power at no load", "W"},
                                    {"loss.fixed", "Fixed part of the loss", "W"},
                                    {"loss.linear", "Proportional part of the loss", "V"},
                                    {"loss.square", "Square-law part of the loss", "ohm"},
                                    {"loss.residual", "Loss that its parts do not explain", "W"},
                                    {"accuracy.output", "Accuracy of the output", "%"}};
constexpr NamedFigure kAtLoad[] = {{"efficiency", "Efficiency", "1"}, {"loss", "Loss", "W"}, {"dropout", "Dropout", "V"}};

constexpr double kSpan = 0.005;       ///< of the highest: lines or loads that differ by less are one
constexpr double kNoLoad = 1e-3;      ///< of the highest output current, under which there is none
constexpr double kAsked = 0.02;       ///< a line within so much of the one asked is meant
constexpr std::size_t kSplitLoads = 5;
constexpr const char* kNotAll = "input and output are not all there";

std::string volts(double v) { return format_quantity(v, "V", 4).plain(); }

Figure figure_from(const char* key, const char* label, const char* unit, const Value& v, double factor = 1) {
  const double u = v.u() * std::abs(factor);
  Figure out{.key = key, .label = label, .value = v.value * factor, .unit = unit, .u = u > 0 ? std::optional(u) : std::nullopt};
  for (const auto of_nothing : {"regulation.", "accuracy.", "ripple", "transient.dip", "transient.overshoot", "loss.linear"}) out.of_nothing = out.of_nothing || std::string_view(key).starts_with(of_nothing);
  return out;
}

/// Adds a figure of the table by its key.
void add(Reading& into, std::string_view key, const Value& v, double factor = 1) {
  for (const auto& n : kFigures)
    if (key == n.key) into.figures.push_back(figure_from(n.key, n.label, n.unit, v, factor));
}
void absent(Reading& into, std::string_view key, std::string reason) {
  for (const auto& n : kFigures)
    if (key == n.key) into.absent.push_back({n.key, std::move(reason), n.label});
}

/// Between two rows, linearly in what is along.
double between(double x, double x0, double y0, double x1, double y1) { return x1 == x0 ? (y0 + y1) / 2 : y0 + (x - x0) / (x1 - x0) * (y1 - y0); }

/// Vertex of the parabola through three points; an end or a hollow as the middle one is.
std::pair<double, double> vertex(double x0, double y0, double x1, double y1, double x2, double y2) {
  const double first = (y1 - y0) / (x1 - x0), second = ((y2 - y1) / (x2 - x1) - first) / (x2 - x0);
  if (!(second < 0)) return {x1, y1};
  const double x = std::clamp((x0 + x1) / 2 - first / (2 * second), x0, x2);
  return {x, y0 + (x - x0) * (first + (x - x1) * second)};
}

void add_maximum(const LoadCurve& curve, Reading& out) {
  const auto& rows = curve.rows;
  std::vector<Row> sound;
  for (const auto& r : rows)
    if (r.input_power() != 0 && (sound.empty() || r.iout() > sound.back().iout())) sound.push_back(r);
  if (sound.empty()) {
    absent(out, "efficiency.max", "no power goes in");
    absent(out, "efficiency.max.at", "no power goes in");
    return;
  }
  const auto top_of = [](const Rows& r) {
    const auto top = std::size_t(std::max_element(r.begin(), r.end(), [](const Row& x, const Row& y) { return x.efficiency() < y.efficiency(); }) - r.begin());
    if (top == 0 || top + 1 == r.size()) return std::pair{r[top].iout(), r[top].efficiency()};
    return vertex(r[top - 1].iout(), r[top - 1].efficiency(), r[top].iout(), r[top].efficiency(), r[top + 1].iout(), r[top + 1].efficiency());
  };
  const auto [place, value] = top_of(sound);
  // Which points are the highest is the noise's doing too: all of them are drawn anew.
  constexpr int kDraws = 200;
  std::mt19937_64 random(1);
  std::vector<double> places, values;
  for (int n = 0; n < kDraws; ++n) {
    auto drawn = sound;
    for (auto& r : drawn)
      for (auto& m : r.read)
        if (m.u > 0) m.value += m.u * normal_deviate(random);
    const auto one = top_of(drawn);
    places.push_back(one.first - place);
    values.push_back(one.second - value);
  }
  const auto spread = [](const std::vector<double>& all) {
    double mean = 0, squares = 0;
    for (const double v : all) mean += v / double(all.size());
    for (const double v : all) squares += (v - mean) * (v - mean);
    return std::sqrt(squares / double(all.size() - 1));
  };
  add(out, "efficiency.max", {value, spread(values), with_u(sound, [&](const Rows& r) { return top_of(r).second; }).u_shared});
  add(out, "efficiency.max.at", {place, spread(places), with_u(sound, [&](const Rows& r) { return top_of(r).first; }).u_shared});
  if (out.figures.size() >= 2) out.figures.back().at = out.figures[out.figures.size() - 2].at = {place};
}

/// The difference over a span whose relative size is wanted as well.
struct Regulated {
  Value volts, percent, per_volt;
};

/// @param along  what the span is of
Regulated regulated(const Rows& rows, Port along, const Settings& settings) {
  const double middle = (rows.front().at(along) + rows.back().at(along)) / 2;
  std::size_t k = 1;
  while (k + 1 < rows.size() && rows[k].at(along) < middle) ++k;
  const Rows used = {rows.front(), rows[k - 1], rows[k], rows.back()};
  const auto difference = [](const Rows& r) { return r[3].vout() - r[0].vout(); };
  const auto percent = [&](const Rows& r) {
    const double base = settings.nominal ? *settings.nominal : between((r[0].at(along) + r[3].at(along)) / 2, r[1].at(along), r[1].vout(), r[2].at(along), r[2].vout());
    return 100 * difference(r) / base;
  };
  // A row that stands twice among those used is one row: its errors are moved together.
  const auto by_place = [&](const std::function<double(const Rows&)>& of) {
    Rows one;
    std::array<std::size_t, 4> place{};
    const std::array<std::size_t, 4> of_rows = {0, k - 1, k, rows.size() - 1};
    for (std::size_t n = 0; n < 4; ++n) {
      const auto before = std::find(of_rows.begin(), of_rows.begin() + std::ptrdiff_t(n), of_rows[n]);
      if (before != of_rows.begin() + std::ptrdiff_t(n)) {
        place[n] = place[std::size_t(before - of_rows.begin())];
        continue;
      }
      place[n] = one.size();
      one.push_back(used[n]);
    }
    return with_u(one, [&](const Rows& r) { return of({r[place[0]], r[place[1]], r[place[2]], r[place[3]]}); });
  };
  return {by_place(difference), by_place(percent), by_place([&](const Rows& r) { return percent(r) / (r[3].at(along) - r[0].at(along)); })};
}

bool spans(const Rows& rows, Port along) {
  return rows.size() > 1 && rows.back().at(along) - rows.front().at(along) > kSpan * std::max(std::abs(rows.back().at(along)), std::abs(rows.front().at(along)));
}

/// The largest in magnitude over all curves that span anything.
template <class Curve>
std::optional<Regulated> worst_regulated(const std::vector<Curve>& curves, Port along, const Settings& settings) {
  std::optional<Regulated> out;
  for (const auto& c : curves) {
    if (!spans(c.rows, along)) continue;
    auto one = regulated(c.rows, along, settings);
    if (!out || std::abs(one.volts.value) > std::abs(out->volts.value)) out = one;
  }
  return out;
}

void add_regulation(const Rows& rows, const Settings& settings, Reading& out) {
  if (const auto line = worst_regulated(line_curves(rows), Port::vin, settings)) {
    add(out, "regulation.line", line->volts);
    add(out, "regulation.line.percent", line->percent);
    add(out, "regulation.line.percent_per_volt", line->per_volt);
  } else {
    for (const char* key : {"regulation.line", "regulation.line.percent", "regulation.line.percent_per_volt"}) absent(out, key, "no load was read at two lines");
  }
  if (const auto load = worst_regulated(load_curves(rows), Port::iout, settings)) {
    add(out, "regulation.load", load->volts);
    add(out, "regulation.load.percent", load->percent);
  } else {
    for (const char* key : {"regulation.load", "regulation.load.percent"}) absent(out, key, "no line was read at two loads");
  }
}

void add_accuracy(const Rows& rows, const Settings& settings, Reading& out) {
  if (!settings.nominal || *settings.nominal == 0) return absent(out, "accuracy.output", "nominal is not set");
  const double nominal = *settings.nominal;
  const auto worst = std::max_element(rows.begin(), rows.end(), [&](const Row& a, const Row& b) { return std::abs(a.vout() - nominal) < std::abs(b.vout() - nominal); });
  add(out, "accuracy.output", with_u({*worst}, [&](const Rows& r) { return 100 * (r[0].vout() - nominal) / nominal; }));
}

/// What is read off one curve over load.
void add_of_curve(const std::vector<LoadCurve>& curves, const Settings& settings, Reading& out) {
  const auto curve = chosen(curves, settings);
  const auto none = [&](std::initializer_list<const char*> keys, const std::string& why) {
    for (const char* key : keys) absent(out, key, why);
  };
  if (!curve) return none({"efficiency.max", "efficiency.max.at", "power.idle", "loss.fixed", "loss.linear", "loss.square", "loss.residual"}, curve.error());
  const auto& rows = (*curve)->rows;
  add_maximum(**curve, out);
  double highest = 0;
  for (const auto& r : rows) highest = std::max(highest, std::abs(r.iout()));
  const auto idle = std::find_if(rows.begin(), rows.end(), [&](const Row& r) { return std::abs(r.iout()) < kNoLoad * highest; });
  if (idle != rows.end()) add(out, "power.idle", with_u({*idle}, [](const Rows& r) { return r[0].input_power(); }));
  else none({"power.idle"}, "no point was read without a load");
  if (const auto split = loss_split(**curve)) {
    add(out, "loss.fixed", split->fixed);
    add(out, "loss.linear", split->linear);
    add(out, "loss.square", split->square);
    add(out, "loss.residual", {split->residual, 0, 0});
  } else {
    none({"loss.fixed", "loss.linear", "loss.square", "loss.residual"}, fmt::format("it wants {} loads at one line", kSplitLoads));
  }
}

tl::expected<Value, std::string> dropout_of(const LineCurve& curve, double fraction) {
  const auto& rows = curve.rows;
  if (rows.size() < 2) return tl::unexpected<std::string>("it wants several lines at one load");
  for (std::size_t k = rows.size() - 1; k-- > 0;) {
    const double level = (1 - fraction) * rows.back().vout();
    if (rows[k].vout() > level) continue;
    const auto of = [&](double vout0, double vout1, double vin0, double vin1, double top) {
      const double at = (1 - fraction) * top;
      return between(at, vout0, vin0, vout1, vin1) - at;
    };
    auto out = k + 1 == rows.size() - 1 ? with_u({rows[k], rows[k + 1]}, [&](const Rows& r) { return of(r[0].vout(), r[1].vout(), r[0].vin(), r[1].vin(), r[1].vout()); })
                                        : with_u({rows[k], rows[k + 1], rows.back()}, [&](const Rows& r) { return of(r[0].vout(), r[1].vout(), r[0].vin(), r[1].vin(), r[2].vout()); });
    // The output bends between the two where it begins to follow the input: what the line below says otherwise.
    if (k > 0 && rows[k].vout() > rows[k - 1].vout())
      out.u_own = std::hypot(out.u_own, std::abs(of(rows[k - 1].vout(), rows[k].vout(), rows[k - 1].vin(), rows[k].vin(), rows.back().vout()) - out.value));
    return out;
  }
  return tl::unexpected(fmt::format("the output does not fall {:.3g} % below its regulated value; read lower lines", 100 * fraction));
}

tl::expected<Value, std::string> dropout_at(const Rows& rows, double current, const Settings& settings) {
  const auto curves = line_curves(rows);
  const LineCurve *below = nullptr, *above = nullptr;
  double nearest = INFINITY;
  const LineCurve* at = nullptr;
  for (const auto& c : curves) {
    if (c.rows.size() < 2) continue;
    const double off = std::abs(c.load - current);
    if (off < nearest) {
      nearest = off;
      at = &c;
    }
    if (c.load <= current && (!below || c.load > below->load)) below = &c;
    if (c.load >= current && (!above || c.load < above->load)) above = &c;
  }
  if (!at) return tl::unexpected<std::string>("it wants several lines at one load");
  if (nearest <= kAsked * std::abs(current) || below == above) {
    if (nearest > kAsked * std::abs(current)) return tl::unexpected(fmt::format("no load was read near {}", format_quantity(current, "A", 4).plain()));
    return dropout_of(*at, settings.dropout_fraction);
  }
  if (!below || !above) return tl::unexpected(fmt::format("{} lies outside the loads that were read", format_quantity(current, "A", 4).plain()));
  const auto low = dropout_of(*below, settings.dropout_fraction), high = dropout_of(*above, settings.dropout_fraction);
  if (!low) return low;
  if (!high) return high;
  const double share = (current - below->load) / (above->load - below->load);
  return Value{(1 - share) * low->value + share * high->value, std::hypot((1 - share) * low->u_own, share * high->u_own), (1 - share) * low->u_shared + share * high->u_shared};
}

void add_asked(const Rows& rows, const std::vector<LoadCurve>& curves, const Settings& settings, const std::string& key, const AtLoad& asked, Reading& out) {
  for (const auto& n : kAtLoad) {
    if (asked.figure != n.key) continue;
    const auto label = fmt::format("{} at {}", n.label, format_setting(asked.current, "A"));
    const auto no = [&](const std::string& why) { out.absent.push_back({key, why, label}); };
    Value value;
    double u_between = 0;
    if (asked.figure == "dropout") {
      const auto v = dropout_at(rows, asked.current, settings);
      if (!v) return no(v.error());
      value = *v;
    } else {
      const auto curve = chosen(curves, settings, &asked);
      if (!curve) return no(curve.error());
      const auto v = read_at(**curve, asked.current, asked.figure == "loss");
      if (!v) return no(v.error());
      value = v->first;
      u_between = v->second;
    }
    const double u = std::hypot(value.u(), u_between);
    out.figures.push_back({.key = key, .label = label, .value = value.value, .unit = n.unit, .u = u > 0 ? std::optional(u) : std::nullopt, .at = {asked.current}, .u_between = u_between});
  }
}

/// What records alone can say.
void add_of_records(const std::vector<SteppedRecordPtr>& records, Reading& out) {
  const Ripple* ripple = nullptr;
  const LoadStep *dip = nullptr, *overshoot = nullptr, *recovery = nullptr;
  bool never = false, any = false;
  for (const auto& record : records) {
    if (record->ripple && (!ripple || record->ripple->peak_to_peak > ripple->peak_to_peak)) ripple = &*record->ripple;
    for (const auto& s : record->load_steps) {
      any = true;
      if (!dip || s.dip > dip->dip) dip = &s;
      if (!overshoot || s.overshoot > overshoot->overshoot) overshoot = &s;
      never = never || !s.recovery;
      if (s.recovery && (!recovery || *s.recovery > *recovery->recovery)) recovery = &s;
    }
  }
  if (ripple) add(out, "ripple", {ripple->peak_to_peak, ripple->u, 0});
  else absent(out, "ripple", "it is read from a record of vout over time, never from points");
  const std::string no_step = records.empty() ? "it is read from a record with steps of the load" : "the load makes no step in the record";
  if (!any) {
    for (const char* key : {"transient.dip", "transient.overshoot", "transient.recovery"}) absent(out, key, no_step);
    return;
  }
  add(out, "transient.dip", {dip->dip, dip->u_dip, 0});
  out.figures.back().at = {dip->lowest_at};
  add(out, "transient.overshoot", {overshoot->overshoot, overshoot->u_overshoot, 0});
  out.figures.back().at = {overshoot->highest_at};
  if (never) return absent(out, "transient.recovery", "the output does not come back within settle_band before the next step");
  add(out, "transient.recovery", {*recovery->recovery, recovery->u_recovery, 0});
  out.figures.back().at = {recovery->at, recovery->at + *recovery->recovery};
}

}  // namespace

Result<std::optional<AtLoad>> at_load(std::string_view key) {
  const auto at = key.find('@');
  if (at == std::string_view::npos) return std::optional<AtLoad>();
  AtLoad out{.figure = std::string(key.substr(0, at))};
  if (std::none_of(std::begin(kAtLoad), std::end(kAtLoad), [&](const auto& n) { return out.figure == n.key; })) return std::optional<AtLoad>();
  const auto parts = pieces(key.substr(at + 1));
  const auto wrong = [&](std::string_view what) { return fail(Fault::usage, "{}: {} after @, such as {}@100mA.", key, what, out.figure); };
  if (parts.empty()) return wrong("an output current is wanted");
  const auto current = parse_value(parts.front(), "A");
  if (!current || !std::isfinite(*current)) return wrong("an output current is wanted");
  out.current = *current;
  if (parts.size() > 1 && out.figure == "dropout") return wrong("an output current alone is wanted");
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

std::optional<LossSplit> loss_split(const LoadCurve& curve) {
  Rows rows;
  for (const auto& r : curve.rows)
    if (rows.empty() || r.iout() > rows.back().iout()) rows.push_back(r);
  if (rows.size() < kSplitLoads) return std::nullopt;
  const auto n = Eigen::Index(rows.size());
  const double scale = std::max(std::abs(rows.front().iout()), std::abs(rows.back().iout()));
  const auto fit = [&](const Rows& of) -> Eigen::Vector3d {
    Eigen::MatrixXd a(n, 3);
    Eigen::VectorXd b(n);
    for (Eigen::Index k = 0; k < n; ++k) {
      const double x = of[std::size_t(k)].iout() / scale;
      a.row(k) << 1, x, x * x;
      b(k) = of[std::size_t(k)].loss();
    }
    return a.colPivHouseholderQr().solve(b);
  };
  LossSplit out;
  out.fixed = with_u(rows, [&](const Rows& r) { return fit(r)(0); });
  out.linear = with_u(rows, [&](const Rows& r) { return fit(r)(1) / scale; });
  out.square = with_u(rows, [&](const Rows& r) { return fit(r)(2) / (scale * scale); });
  double squares = 0;
  Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
  for (const auto& r : rows) {
    const double x = r.iout() / scale;
    const Eigen::Vector3d powers(1, x, x * x);
    normal += powers * powers.transpose();
    squares += std::pow(r.loss() - out.at(r.iout()), 2);
  }
  out.residual = std::sqrt(squares / double(n));
  // What the points scatter beyond what is known of them, or what no such sum describes.
  const double freedom = double(n - 3);
  const Eigen::Matrix3d inverse = normal.inverse();
  double expected = 0;  // sum of squares that the points' own errors leave: each times one less its weight in the fit
  bool known = freedom > 0;
  for (const auto& r : rows) {
    const double u = with_u({r}, [](const Rows& one) { return one[0].loss(); }).u_own, x = r.iout() / scale;
    const Eigen::Vector3d powers(1, x, x * x);
    known = known && u > 0;
    expected += u * u * (1 - powers.dot(inverse * powers));
  }
  if (known) {
    const double more = squares > expected * (1 + 3 * std::sqrt(2 / freedom)) ? std::sqrt(squares / expected) : 1;
    for (auto* part : {&out.fixed, &out.linear, &out.square}) part->u_own *= more;
    return out;
  }
  const Eigen::Vector3d scatter = (inverse.diagonal() * squares / std::max(1.0, freedom)).cwiseSqrt();
  out.fixed.u_own = std::max(out.fixed.u_own, scatter(0));
  out.linear.u_own = std::max(out.linear.u_own, scatter(1) / scale);
  out.square.u_own = std::max(out.square.u_own, scatter(2) / (scale * scale));
  return out;
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
  const char* which = differs([](const LoadCurve& c) { return c.frequency; }) ? "frequency" : differs([](const LoadCurve& c) { return c.temperature; }) ? "temperature" : "line";
  return tl::unexpected(fmt::format("there are {} curves; set {}, or ask it at one, such as efficiency@100mA,{}", fit.size(), which,
                                    std::string_view(which) == "line" ? "12V" : std::string_view(which) == "frequency" ? "frequency=400kHz" : "temperature=25"));
}

tl::expected<std::pair<Value, double>, std::string> read_at(const LoadCurve& curve, double current, bool loss) {
  const auto& rows = curve.rows;
  const auto of = [loss](const Row& r) { return loss ? r.loss() : r.efficiency(); };
  constexpr double kAt = 1e-3;  // of the current: a point so close is the one that is asked
  for (const auto& r : rows)
    if (!loss && r.input_power() == 0 && std::abs(r.iout() - current) <= kAt * std::abs(current)) return tl::unexpected<std::string>("no power goes in there");
  const auto outside = [&] { return tl::unexpected(fmt::format("{} lies outside the loads that were read", format_quantity(current, "A", 4).plain())); };
  if (rows.empty()) return outside();
  if (current < rows.front().iout() || current > rows.back().iout()) {
    const auto& end = current < rows.front().iout() ? rows.front() : rows.back();
    // A load that was set to what is asked reads a little beside it: the nearest two points tell it all the same.
    const bool set_there = end.load && std::abs(*end.load - current) <= 1e-6 * std::abs(current);
    if (!set_there && std::abs(end.iout() - current) > kAsked * std::abs(current)) return outside();
    if (rows.size() == 1) return std::pair{with_u({end}, [&](const Rows& r) { return of(r[0]); }), 0.0};
  }
  if (rows.size() == 1) return std::pair{with_u({rows.front()}, [&](const Rows& r) { return of(r[0]); }), 0.0};
  auto k = std::size_t(std::upper_bound(rows.begin(), rows.end(), current, [](double c, const Row& r) { return c < r.iout(); }) - rows.begin());
  k = std::clamp<std::size_t>(k, 1, rows.size() - 1);
  const auto line = [&](const Rows& r) { return between(current, r[0].iout(), of(r[0]), r[1].iout(), of(r[1])); };
  auto value = with_u({rows[k - 1], rows[k]}, line);
  if (!std::isfinite(value.value)) return tl::unexpected<std::string>("no power goes in there");
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

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out;
  for (const auto& n : kAtLoad) out.push_back({n.label, n.key, n.unit, "A"});
  for (const auto& n : kFigures) out.push_back({n.label, n.key, n.unit});
  return out;
}

std::optional<std::string> figure_unit(std::string_view key) {
  if (const auto watch = watch_key(key)) {
    if (watch->second == "extreme") return "";
    return watch->second == "count" || watch->second == "latched" ? "1" : "s";
  }
  for (const auto& n : kFigures)
    if (key == n.key) return n.unit;
  const auto name = key.substr(0, key.find('@'));
  for (const auto& n : kAtLoad)
    if (name == n.key) return n.unit;
  return std::nullopt;
}

Result<void> check_figure_key(std::string_view key) {
  if (watch_key(key)) return {};
  for (const auto& n : kFigures)
    if (key == n.key) return {};
  const auto asked = at_load(key);
  if (!asked) return tl::unexpected(asked.error());
  if (*asked) return {};
  return fail(Fault::usage, "There is no figure \"{}\" of conversion.", key);
}

Result<Reading> figures_of(const Rows& all, const std::vector<SteppedRecordPtr>& records, const Settings& settings, const std::vector<std::string>& asked) {
  Reading out;
  const auto rows = within_limits(all, settings);
  const auto curves = load_curves(rows);
  const bool whole = std::all_of(rows.begin(), rows.end(), [](const Row& r) { return r.whole; });
  if (!rows.empty()) {
    if (whole) add_of_curve(curves, settings, out);
    else
      for (const auto& n : kFigures)
        if (std::string_view(n.key).starts_with("efficiency.") || std::string_view(n.key).starts_with("loss.") || n.key == std::string_view("power.idle")) out.absent.push_back({n.key, kNotAll, n.label});
    add_regulation(rows, settings, out);
    add_accuracy(rows, settings, out);
  } else {
    const std::string why = all.empty() ? kNotAll : "no point lies within the limits of line and load";
    for (const auto& n : kFigures)
      if (n.key != std::string_view("ripple") && !std::string_view(n.key).starts_with("transient.")) out.absent.push_back({n.key, why, n.label});
  }
  add_of_records(records, out);
  if (!records.empty()) {
    const auto& record = *records.back()->record;
    const auto all_of = [&](std::size_t k) { return std::pair{std::size_t(0), record.traces[k]->size()}; };
    if (auto ok = read_watches(record, settings.watches, all_of, out); !ok) return tl::unexpected(ok.error());
  }
  for (const auto& key : asked) {
    if (out.find(key) || std::any_of(out.absent.begin(), out.absent.end(), [&](const Absent& a) { return a.key == key; })) continue;
    const auto at = at_load(key);
    if (!at) return tl::unexpected(at.error());
    if (*at && !rows.empty() && whole) add_asked(rows, curves, settings, key, **at, out);
    else if (*at) out.absent.push_back({key, kNotAll, key});
    else if (const auto watch = watch_key(key)) out.absent.push_back({key, records.empty() ? "there is no record" : fmt::format("there is no watch \"{}\" among the settings", watch->first), key});
    else out.absent.push_back({key, "the data do not have it", key});
  }
  return out;
}

}  // namespace heron::study::conversion
