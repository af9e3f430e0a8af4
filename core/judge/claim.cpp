#include "judge/claim.h"

#include "base/formula.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <tuple>

#include "base/quantity.h"
#include "signal/curve.h"

namespace heron::judge {
namespace {

std::string unit_of(const study::Reading& reading, std::string_view key) {
  const auto* f = reading.find(key);
  return f ? f->unit : "";
}

/// A limit in a figure's unit. A figure without unit takes bare numbers and per cent.
Result<double> limit(const std::string& text, std::string_view unit) {
  return parse_value(text, unit.empty() ? "1" : unit);
}

Verdict verdict_for(double margin, std::optional<double> u) {
  const double expanded = u ? 2 * *u : 0;
  if (u && std::abs(margin) <= expanded) return Verdict::too_close;
  return margin >= 0 ? Verdict::meets : Verdict::fails;
}

}  // namespace

std::string_view verdict_text(Verdict verdict) {
  switch (verdict) {
    case Verdict::meets:
      return "meets";
    case Verdict::fails:
      return "fails";
    case Verdict::too_close:
      return "too_close";
    case Verdict::not_measured:
      return "not_measured";
  }
  return "";
}

std::string_view verdict_words(Verdict verdict) {
  switch (verdict) {
    case Verdict::too_close:
      return "too close";
    case Verdict::not_measured:
      return "not measured";
    default:
      return verdict_text(verdict);
  }
}

Result<double> evaluate(const std::string& formula, const PartValues& parts) {
  std::vector<std::string> names;
  std::vector<double> values;
  for (const auto& [name, value] : parts) {
    // Parts inside sub-circuits have names that no formula can hold.
    if (!formula_name(name)) continue;
    names.push_back(name);
    values.push_back(value);
  }
  const auto read = Formula::read(formula, names);
  if (!read) return tl::unexpected(read.error());
  const double value = (*read)(values);
  if (!std::isfinite(value)) return fail(Fault::input, "The formula \"{}\" gives no finite number.", formula);
  return value;
}

Result<double> expected_value(const std::string& text, std::string_view unit, const PartValues& parts) {
  if (const auto quantity = limit(text, unit)) return quantity;
  return evaluate(text, parts);
}

Result<double> tolerance_width(const std::string& text, std::string_view unit, double expected) {
  const auto typed = parse_quantity(text, "");
  if (!typed) return tl::unexpected(typed.error());
  auto width = Result<double>(std::abs(expected) * typed->value / 100);
  if (typed->unit != "%" || unit == "%") width = limit(text, unit);
  if (width && !(*width >= 0)) return fail(Fault::input, "the tolerance {} is below zero", text);
  return width;
}

std::vector<std::string> asked_figures(const study::Kind& kind, const std::vector<Claim>& claims, const std::vector<Mask>& masks) {
  std::vector<std::string> out;
  for (const auto& claim : claims)
    if (kind.check_figure(claim.figure)) out.push_back(claim.figure);
  for (const auto& mask : masks)
    if (!mask.after.empty() && kind.check_figure(mask.after)) out.push_back(mask.after);
  return out;
}

Result<void> check(const Mask& mask, const study::Kind& kind) {
  if (mask.after.empty()) return {};
  if (auto ok = kind.check_figure(mask.after); !ok) return tl::unexpected(Error{Fault::input, ok.error().message});
  const auto unit = kind.unit_of(mask.after).value_or("");
  if (!mask.along.empty() && unit != mask.along)
    return fail(Fault::input, "The mask \"{}\" goes over {}, and {} is in {}.", mask.text, mask.along, mask.after, unit.empty() ? "another unit" : unit);
  return {};
}

std::optional<Mask> placed(const Mask& mask, const study::Reading& reading) {
  if (mask.after.empty()) return mask;
  const auto it = std::find_if(reading.figures.begin(), reading.figures.end(), [&](const study::Figure& f) { return f.key == mask.after; });
  if (it == reading.figures.end()) return std::nullopt;
  auto out = mask;
  for (auto* line : {&out.upper, &out.lower})
    for (auto& point : *line) point.first += it->value;
  return out;
}

Result<void> check(const Claim& claim, const study::Kind& kind, const PartValues* parts,
                   const std::vector<study::FigureName>& typed) {
  const auto own = std::find_if(typed.begin(), typed.end(), [&](const auto& n) { return n.key == claim.figure; });
  if (own == typed.end())
    if (auto ok = kind.check_figure(claim.figure); !ok) return tl::unexpected(Error{Fault::input, ok.error().message});
  if (!claim.lower && !claim.upper && !claim.expected)
    return fail(Fault::input, "The claim \"{}\" has neither a lower nor an upper limit nor an expected value.",
                claim.text);
  if (claim.expected && !claim.tolerance)
    return fail(Fault::input, "The claim \"{}\" expects a value but gives no tolerance.", claim.text);
  const auto unit = own != typed.end() ? own->unit : kind.unit_of(claim.figure).value_or("");
  const auto bad = [&](const char* what, const Error& e) {
    return fail(Fault::input, "The claim \"{}\": {}: {}", claim.text, what, e.message);
  };
  std::optional<double> low, high;
  for (const auto& [text, what, into] : {std::tuple{&claim.lower, "lower", &low}, {&claim.upper, "upper", &high}}) {
    if (!*text) continue;
    // Where the unit is the data's, the limit says its own.
    auto value = limit(**text, unit);
    if (const auto any = parse_quantity(**text, ""); !value && unit.empty() && any) value = any->value;
    if (!value) return bad(what, value.error());
    *into = *value;
  }
  if (low && high && *low > *high)
    return fail(Fault::input, "The claim \"{}\": its lower limit {} lies above its upper one {}.", claim.text,
                *claim.lower, *claim.upper);
  if (claim.tolerance)
    if (const auto width = tolerance_width(*claim.tolerance, unit, 1); !width) return bad("tolerance", width.error());
  if (claim.expected && parts)
    if (const auto value = expected_value(*claim.expected, unit, *parts); !value) return bad("expected", value.error());
  return {};
}

namespace {

/// A figure a thousand times off what is claimed is more likely a column in mA that was taken for A.
std::string slip(double value, double claimed, std::string_view unit) {
  constexpr double kThousand = 1000, kAbout = 2;
  if (!takes_prefix(unit) || !(value / claimed > 0)) return {};
  const double times = value / claimed;
  for (const bool more : {true, false})
    if (const double off = (more ? times : 1 / times) / kThousand; off > 1 / kAbout && off < kAbout)
      return fmt::format("about a {} of what is claimed: was {} taken for {}, or the other way round?",
                         more ? "thousandfold" : "thousandth", "m" + std::string(unit), unit);
  return {};
}

}  // namespace

Judgement judge(const Claim& claim, const study::Reading& reading, const PartValues& parts) {
  Judgement out;
  const auto* figure = reading.find(claim.figure);
  if (!figure) {
    const auto it = std::find_if(reading.absent.begin(), reading.absent.end(),
                                 [&](const auto& a) { return a.key == claim.figure; });
    out.reason = it != reading.absent.end() ? it->reason : "the figure was not read";
  } else {
    out.value = figure->value;
    out.u = figure->u;
    out.unit = figure->unit;
  }
  // Without the figure its unit is unknown; limits are still shown where they can be understood from their own unit.
  const std::string unit = unit_of(reading, claim.figure);
  const auto take = [&](const std::optional<std::string>& text, std::optional<double>& into) {
    if (!text) return;
    if (const auto value = figure ? limit(*text, unit) : parse_value(*text, ""))
      into = *value;
    else
      out.reason = value.error().message;
  };
  take(claim.lower, out.lower);
  take(claim.upper, out.upper);
  if (claim.expected) {
    const auto expected = figure ? expected_value(*claim.expected, unit, parts) : evaluate(*claim.expected, parts);
    const auto width =
        expected && figure ? tolerance_width(claim.tolerance.value_or(""), unit, *expected) : Result<double>(0.0);
    if (!expected) {
      out.reason = expected.error().message;
    } else if (!width) {
      out.reason = width.error().message;
    } else {
      out.expected = *expected;
      if (figure) {
        out.lower = *expected - *width;
        out.upper = *expected + *width;
      }
    }
  }
  if (!out.value || !out.reason.empty() || (!out.lower && !out.upper)) return out;
  const double below = out.lower ? *out.value - *out.lower : std::numeric_limits<double>::infinity();
  const double above = out.upper ? *out.upper - *out.value : std::numeric_limits<double>::infinity();
  out.margin = std::min(below, above);
  out.verdict = verdict_for(*out.margin, out.u);
  if (out.verdict == Verdict::fails)
    out.caveat = slip(*out.value, out.expected ? *out.expected : below < above ? *out.lower : *out.upper, unit);
  return out;
}

namespace {

/// How bad a place is: failing over too close over met, then by the margin in units of its uncertainty where that is
/// known. Lower is worse.
struct Badness {
  int verdict = 0;  ///< 0 fails, 1 too close, 2 meets
  double margin = 0;

  auto operator<=>(const Badness&) const = default;
};
Badness badness(const Judgement& j) {
  const int verdict = j.verdict == Verdict::fails ? 0 : j.verdict == Verdict::too_close ? 1 : 2;
  return {verdict, j.u && *j.u > 0 ? *j.margin / (2 * *j.u) : *j.margin};
}

/// A mask's line on the axis that it is straight on.
struct LimitLine {
  std::vector<double> x, y;
};

/// A curve's column on that axis.
struct Held {
  const study::Columns& curve;
  const study::Columns::Column& column;
  std::vector<double> x;

  bool undecided(std::size_t i) const { return i < curve.undecided.size() && curve.undecided[i]; }
};

/// The curve against both limits that a line may have at one place (it may step there).
void judge_place(const Held& held, const LimitLine& line, double sign, double x, Judgement& worst, bool& any) {
  const auto segment = signal::segment_of(held.x, x);
  if (!segment) return;
  const auto i = *segment;
  const double share = (x - held.x[i]) / (held.x[i + 1] - held.x[i]);
  // Between two points neither may be in doubt; right at one only that.
  if ((share < 1 && held.undecided(i)) || (share > 0 && held.undecided(i + 1))) return;
  const double y = held.column.y[i] + share * (held.column.y[i + 1] - held.column.y[i]);
  const auto judge_limit = [&](double wanted) {
    Judgement one{.value = y, .margin = sign * (wanted - y), .unit = held.column.unit};
    if (!held.column.u.empty()) one.u = held.column.u[i] + share * (held.column.u[i + 1] - held.column.u[i]);
    one.verdict = verdict_for(*one.margin, one.u);
    if (any && !(badness(one) < badness(worst))) return;
    one.at = held.curve.logarithmic ? std::pow(10, x) : x;
    one.at_unit = held.curve.x_unit;
    (sign > 0 ? one.upper : one.lower) = wanted;
    worst = std::move(one);
    any = true;
  };
  auto k = std::size_t(std::lower_bound(line.x.begin(), line.x.end(), x) - line.x.begin());
  if (k < line.x.size() && line.x[k] == x) {
    for (; k < line.x.size() && line.x[k] == x; ++k) judge_limit(line.y[k]);
  } else if (k > 0 && k < line.x.size()) {
    judge_limit(line.y[k - 1] + (line.y[k] - line.y[k - 1]) * (x - line.x[k - 1]) / (line.x[k] - line.x[k - 1]));
  }
}

Judgement judge_column(const Mask& mask, const study::Columns& curve, const study::Columns::Column* column) {
  if (!mask.unit.empty() && mask.unit != column->unit)
    return {.unit = column->unit,
            .reason = fmt::format("{} is in {}, the limit in {}", column->name, column->unit.empty() ? "no unit" : column->unit, mask.unit)};
  const auto& along = curve.x_of(*column);
  if (along.size() < 2) return {.reason = "the take has no curve of " + mask.curve};
  Held held{curve, *column, {}};
  const auto place = [&](double x) { return curve.logarithmic ? std::log10(x) : x; };
  held.x.reserve(along.size());
  for (const double x : along) held.x.push_back(place(x));
  // What is trusted reaches from the first such point to the last.
  std::size_t first = 0, last = along.size();
  while (first < last && held.undecided(first)) ++first;
  while (last > first && held.undecided(last - 1)) --last;
  Judgement worst{.unit = column->unit};
  bool any = false, covered = first + 1 < last;
  for (const auto& [points, sign] : {std::pair{&mask.upper, 1.0}, {&mask.lower, -1.0}}) {
    if (points->empty()) continue;
    LimitLine line;
    for (const auto& [x, y] : *points) {
      line.x.push_back(place(x));
      line.y.push_back(y);
    }
    for (const double x : line.x) judge_place(held, line, sign, x, worst, any);
    const auto from = std::lower_bound(held.x.begin(), held.x.end(), line.x.front()),
               to = std::upper_bound(held.x.begin(), held.x.end(), line.x.back());
    for (auto x = from; x < to; ++x) judge_place(held, line, sign, *x, worst, any);
    covered = covered && held.x[first] <= line.x.front() && held.x[last - 1] >= line.x.back();
  }
  if (any && worst.verdict == Verdict::fails) return worst;
  if (!any || !covered)
    return {.unit = column->unit,
            .reason = curve.undecided.empty() || last - first == along.size()
                          ? "the curve does not cover the whole limit line"
                          : "the part of the curve that is coherent does not cover the whole limit line"};
  return worst;
}

}  // namespace

Judgement judge(const Mask& mask, const study::Columns& curve) {
  const auto columns = curve.all(mask.curve);
  if (!mask.along.empty() && mask.along != curve.x_unit && !columns.empty())
    return {.reason = fmt::format("{} is over {} in this take, the limit line over {}", mask.curve, curve.x_name, mask.along)};
  if (columns.empty()) return {.reason = "the take has no curve of " + mask.curve};
  std::optional<Judgement> worst, undecided;
  for (const auto* column : columns) {
    auto one = judge_column(mask, curve, column);
    if (columns.size() > 1) one.on = column->name;
    if (!one.margin) {
      if (columns.size() > 1) one.reason = column->name + ": " + one.reason;
      if (!undecided) undecided = std::move(one);
    } else if (!worst || badness(one) < badness(*worst)) {
      worst = std::move(one);
    }
  }
  // One curve that cannot be held against the line leaves the whole undecided, unless another one breaks it.
  if (undecided && !(worst && worst->verdict == Verdict::fails)) return *undecided;
  return *worst;
}

Judgement judge(const Mask& mask, const study::Analysis& analysis) {
  if (const auto there = placed(mask, analysis.reading)) return judge(*there, *analysis.curve);
  for (const auto& absent : analysis.reading.absent)
    if (absent.key == mask.after) return {.reason = fmt::format("{} is absent: {}", mask.after, absent.reason)};
  return {.reason = fmt::format("{}, after which it is placed, was not read", mask.after)};
}

namespace {
nlohmann::json common_json(const Judgement& j) {
  const auto number = [](const std::optional<double>& v) { return v ? nlohmann::json(*v) : nlohmann::json(nullptr); };
  nlohmann::json out = {{"lower", number(j.lower)},
                        {"upper", number(j.upper)},
                        {"value", number(j.value)},
                        {"margin", number(j.margin)},
                        {"verdict", verdict_text(j.verdict)}};
  if (j.expected) out["expected"] = *j.expected;
  if (j.at) out["at"] = *j.at;
  if (j.u) out["uncertainty"] = *j.u;
  if (!j.unit.empty()) out["unit"] = j.unit;
  if (!j.reason.empty()) out["reason"] = j.reason;
  if (!j.caveat.empty()) out["caveat"] = j.caveat;
  return out;
}
}  // namespace

nlohmann::json to_json(const Claim& claim, const Judgement& judgement) {
  auto out = common_json(judgement);
  out["text"] = claim.text;
  out["key"] = claim.figure;
  return out;
}

nlohmann::json to_json(const Mask& mask, const Judgement& judgement) {
  auto out = common_json(judgement);
  out["text"] = mask.text;
  out["key"] = mask.curve;
  return out;
}

}  // namespace heron::judge
