#include "judge/claim.h"

#include "base/formula.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

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

Result<void> check(const Claim& claim, const study::Kind& kind) {
  if (auto ok = kind.check_figure(claim.figure); !ok) return tl::unexpected(Error{Fault::input, ok.error().message});
  if (!claim.lower && !claim.upper && !claim.expected)
    return fail(Fault::input, "The claim \"{}\" has neither a lower nor an upper limit nor an expected value.",
                claim.text);
  if (claim.expected && !claim.tolerance)
    return fail(Fault::input, "The claim \"{}\" expects a value but gives no tolerance.", claim.text);
  return {};
}

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
    const auto expected = evaluate(*claim.expected, parts);
    const auto percent = parse_quantity(claim.tolerance.value_or(""), "");
    if (!expected) {
      out.reason = expected.error().message;
    } else if (!percent) {
      out.reason = percent.error().message;
    } else {
      out.expected = *expected;
      const double width = percent->unit == "%" ? std::abs(*expected) * percent->value / 100 : percent->value;
      out.lower = *expected - width;
      out.upper = *expected + width;
    }
  }
  if (!out.value || !out.reason.empty() || (!out.lower && !out.upper)) return out;
  const double below = out.lower ? *out.value - *out.lower : std::numeric_limits<double>::infinity();
  const double above = out.upper ? *out.upper - *out.value : std::numeric_limits<double>::infinity();
  out.margin = std::min(below, above);
  out.verdict = verdict_for(*out.margin, out.u);
  return out;
}

namespace {

Judgement judge_column(const Mask& mask, const study::Columns& curve, const study::Columns::Column* column) {
  Judgement out;
  const auto& along = curve.x_of(*column);
  if (along.size() < 2) {
    out.reason = "the take has no curve of " + mask.curve;
    return out;
  }
  out.unit = column->unit;
  const auto place = [&](double x) { return curve.logarithmic ? std::log10(x) : x; };
  std::vector<double> lg;
  for (const double x : along) lg.push_back(place(x));
  const auto hold = [&](const std::vector<std::pair<double, double>>& line, double sign) {
    if (line.empty()) return true;
    std::vector<double> mask_lg, mask_y;
    for (const auto& [x, y] : line) {
      mask_lg.push_back(place(x));
      mask_y.push_back(y);
    }
    std::vector<double> places = mask_lg;
    for (const double x : lg)
      if (x > mask_lg.front() && x < mask_lg.back()) places.push_back(x);
    for (const double x : places) {
      const auto y = signal::interpolate(lg, column->y, x);
      if (!y) return false;
      // A step in the line has two limits at one x: both are asked.
      for (std::size_t i = 0; i < mask_lg.size(); ++i) {
        double wanted = 0;
        if (mask_lg[i] == x)
          wanted = mask_y[i];
        else if (i + 1 < mask_lg.size() && mask_lg[i] < x && x < mask_lg[i + 1])
          wanted = mask_y[i] + (mask_y[i + 1] - mask_y[i]) * (x - mask_lg[i]) / (mask_lg[i + 1] - mask_lg[i]);
        else
          continue;
        const double margin = sign * (wanted - *y);
        if (out.margin && margin >= *out.margin) continue;
        out.margin = margin;
        out.value = *y;
        out.at = curve.logarithmic ? std::pow(10, x) : x;
        out.at_unit = curve.x_unit;
        out.upper = sign > 0 ? std::optional(wanted) : std::nullopt;
        out.lower = sign > 0 ? std::nullopt : std::optional(wanted);
        out.u.reset();
        if (!column->u.empty()) out.u = signal::interpolate(lg, column->u, x);
      }
    }
    return true;
  };
  if (!hold(mask.upper, 1) || !hold(mask.lower, -1)) {
    out = Judgement{.unit = column->unit};
    out.reason = "the curve does not cover the whole limit line";
    return out;
  }
  if (out.margin) out.verdict = verdict_for(*out.margin, out.u);
  return out;
}

}  // namespace

Judgement judge(const Mask& mask, const study::Columns& curve) {
  const auto columns = curve.all(mask.curve);
  Judgement out;
  if (columns.empty()) {
    out.reason = "the take has no curve of " + mask.curve;
    return out;
  }
  bool first = true;
  for (const auto* column : columns) {
    auto one = judge_column(mask, curve, column);
    if (columns.size() > 1) {
      if (!one.margin) one.reason = column->name + ": " + one.reason;
      one.on = column->name;
    }
    // One curve that cannot be held against the line leaves the whole undecided.
    const bool worse = !out.margin ? false : !one.margin || *one.margin < *out.margin;
    if (first || worse) out = std::move(one);
    first = false;
  }
  return out;
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
