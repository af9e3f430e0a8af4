#include <toml++/toml.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <tuple>

#include "base/formula.h"
#include "base/quantity.h"
#include "base/words.h"
#include "judge/claim.h"

namespace heron::judge {

std::vector<study::MaskCurve> axes_of(const study::Kind& kind, std::string_view curve) {
  std::vector<study::MaskCurve> out;
  const auto base = curve.substr(0, curve.find(" at "));
  for (const auto& one : kind.curves)
    if (one.name == base) out.push_back(one);
  if (kind.masks_over_time && formula_name(curve)) out.push_back({curve, "", "s"});
  return out;
}

std::string curve_called(std::string_view written) {
  constexpr std::string_view kAt = " at ";
  const auto at = written.find(kAt);
  if (at == std::string_view::npos) return std::string(written);
  std::string out;
  for (const auto& piece : pieces(written.substr(at + kAt.size()))) {
    const auto quantity = parse_quantity(piece, "");
    out += (out.empty() ? "" : ", ") + (quantity ? format_setting(quantity->value, quantity->unit) : piece);
  }
  return std::string(written.substr(0, at + kAt.size())) + out;
}

Result<double> value_on(std::string_view text, std::string& unit) {
  if (!unit.empty()) return parse_value(text, unit);
  const auto any = parse_quantity(text, "");
  if (!any) return tl::unexpected(any.error());
  unit = any->unit;
  return any->value;
}

namespace {

template <class... Args>
tl::unexpected<Error> at(std::string_view file, const toml::node& node, fmt::format_string<Args...> text,
                         Args&&... args) {
  return fail(Fault::input, "{}:{}: {}", file, node.source().begin.line,
              fmt::format(text, std::forward<Args>(args)...));
}

Result<std::optional<std::string>> text_key(std::string_view file, const toml::table& table, std::string_view key) {
  const auto* node = table.get(key);
  if (!node) return std::optional<std::string>();
  if (const auto* text = node->as_string()) return std::optional(text->get());
  if (const auto number = node->value<double>()) return std::optional(fmt::format("{:.17g}", *number));
  return at(file, *node, "{}: text in quotes is wanted", key);
}

Result<Claim> read_claim(std::string_view file, const toml::table& table) {
  Claim claim;
  struct Field {
    std::string_view key;
    std::optional<std::string>* into;
  };
  std::optional<std::string> text, figure;
  const Field fields[] = {{"text", &text},         {"figure", &figure},           {"lower", &claim.lower},
                          {"upper", &claim.upper}, {"expected", &claim.expected}, {"tolerance", &claim.tolerance}};
  for (const auto& [key, node] : table) {
    const auto it =
        std::find_if(std::begin(fields), std::end(fields), [&key = key](const Field& f) { return f.key == key.str(); });
    if (it == std::end(fields)) return at(file, node, "{}: a claim has no such key", key.str());
    auto value = text_key(file, table, it->key);
    if (!value) return tl::unexpected(value.error());
    *it->into = *value;
  }
  if (!figure) return at(file, table, "figure: is missing");
  for (const auto& [key, limit] :
       {std::pair{"lower", &claim.lower}, {"upper", &claim.upper}, {"tolerance", &claim.tolerance}})
    if (*limit)
      if (const auto ok = parse_quantity(**limit, ""); !ok)
        return at(file, *table.get(key), "{}: {}", key, ok.error().message);
  if (!claim.lower && !claim.upper && !claim.expected)
    return at(file, table, "lower, upper or expected: one is wanted");
  if (claim.expected && !claim.tolerance) return at(file, table, "tolerance: is missing beside expected");
  claim.figure = *figure;
  claim.text = text.value_or(claim.figure);
  return claim;
}

Result<std::vector<std::pair<double, double>>> read_line(std::string_view file, const toml::table& table,
                                                         std::string_view key, const study::MaskCurve& axes,
                                                         std::string& unit) {
  std::vector<std::pair<double, double>> line;
  const bool frequency = axes.x_unit == "Hz";
  const auto* node = table.get(key);
  if (!node) return line;
  const auto* list = node->as_array();
  if (!list || list->size() < 2) return at(file, *node, "{}: two or more points [x, limit] are wanted", key);
  for (const auto& entry : *list) {
    const auto* pair = entry.as_array();
    if (!pair || pair->size() != 2) return at(file, entry, "{}: a point is [x, limit]", key);
    double numbers[2];
    std::string x_unit(axes.x_unit);
    std::string* units[2] = {&x_unit, &unit};
    for (std::size_t i = 0; i < 2; ++i) {
      const auto& cell = *pair->get(i);
      if (const auto* text = cell.as_string()) {
        const auto value = value_on(text->get(), *units[i]);
        if (!value) return at(file, cell, "{}: {}", key, value.error().message);
        numbers[i] = *value;
      } else if (const auto number = cell.value<double>(); number && std::isfinite(*number)) {
        numbers[i] = *number;
      } else {
        return at(file, cell, "{}: a value with its unit is wanted", key);
      }
    }
    if (frequency && !(numbers[0] > 0)) return at(file, entry, "{}: the frequency must be above zero", key);
    if (!line.empty() && numbers[0] < line.back().first)
      return at(file, entry, "{}: the points must rise in {}", key, axes.x_unit == "1" ? "their places" : axes.x_unit);
    line.push_back({numbers[0], numbers[1]});
  }
  return line;
}

/// The mask with its lines on one pair of axes.
Result<Mask> on_axes(std::string_view file, const toml::table& table, Mask mask, const study::MaskCurve& axes) {
  std::string unit(axes.unit);
  auto upper = read_line(file, table, "upper", axes, unit);
  if (!upper) return tl::unexpected(upper.error());
  auto lower = read_line(file, table, "lower", axes, unit);
  if (!lower) return tl::unexpected(lower.error());
  if (axes.unit.empty()) mask.unit = unit;
  mask.along = axes.x_unit;
  mask.upper = std::move(*upper);
  mask.lower = std::move(*lower);
  return mask;
}

/// "gain, phase or the name of a quantity", for errors.
std::string curves_of(const study::Kind& kind) {
  std::vector<std::string_view> names;
  for (const auto& one : kind.curves)
    if (std::find(names.begin(), names.end(), one.name) == names.end()) names.push_back(one.name);
  if (kind.masks_over_time) names.push_back("the name of a quantity");
  std::string out;
  for (std::size_t k = 0; k < names.size(); ++k) out += fmt::format("{}{}", k == 0 ? "" : k + 1 < names.size() ? ", " : " or ", names[k]);
  return out.empty() ? "a curve" : out;
}

/// An upper line that runs below the lower one leaves nothing that could hold.
Result<void> check_order(const Mask& mask) {
  const auto value = [](const auto& line, double x) -> std::optional<double> {
    if (x < line.front().first || x > line.back().first) return std::nullopt;
    for (std::size_t k = 1; k < line.size(); ++k)
      if (x <= line[k].first && line[k].first > line[k - 1].first)
        return line[k - 1].second +
               (line[k].second - line[k - 1].second) * (x - line[k - 1].first) / (line[k].first - line[k - 1].first);
    return line.back().second;
  };
  if (mask.upper.empty() || mask.lower.empty()) return {};
  for (const auto& [one, other, sign] : {std::tuple{&mask.upper, &mask.lower, 1.0}, {&mask.lower, &mask.upper, -1.0}})
    for (const auto& [x, y] : *one)
      if (const auto against = value(*other, x); against && sign * (y - *against) < 0)
        return fail(Fault::input, "the lower line lies above the upper one at {:g}", x);
  return {};
}

}  // namespace

Result<Claims> read_claims(std::string_view toml_text, std::string_view file, const study::Kind& kind) {
  toml::table root;
  try {
    root = toml::parse(toml_text);
  } catch (const toml::parse_error& e) {
    return fail(Fault::input, "{}:{}: {}", file, e.source().begin.line, e.description());
  }
  Claims out;
  for (const auto& [key, node] : root) {
    const auto* list = node.as_array();
    if ((key != "claim" && key != "mask") || !list)
      return at(file, node, "{}: a claims file has only [[claim]] and [[mask]]", key.str());
    for (const auto& entry : *list) {
      const auto* table = entry.as_table();
      if (!table) return at(file, entry, "{}: a table is wanted", key.str());
      if (key == "claim") {
        auto claim = read_claim(file, *table);
        if (!claim) return tl::unexpected(claim.error());
        out.claims.push_back(std::move(*claim));
        continue;
      }
      Mask mask;
      for (const auto& [inner, value] : *table)
        if (inner != "text" && inner != "curve" && inner != "upper" && inner != "lower" && inner != "after")
          return at(file, value, "{}: a mask has no such key; there are text, curve, after, upper and lower", inner.str());
      auto curve = text_key(file, *table, "curve");
      if (!curve) return tl::unexpected(curve.error());
      mask.curve = curve_called(curve->value_or(""));
      const auto axes = axes_of(kind, mask.curve);
      if (axes.empty()) return at(file, entry, "curve: {} is wanted, not \"{}\"", curves_of(kind), mask.curve);
      auto text = text_key(file, *table, "text");
      if (!text) return tl::unexpected(text.error());
      mask.text = text->value_or(mask.curve);
      auto after = text_key(file, *table, "after");
      if (!after) return tl::unexpected(after.error());
      mask.after = after->value_or("");
      // Of several axes those that all numbers fit; where none do, the first say why.
      std::optional<Error> wrong;
      for (const auto& one : axes) {
        auto on = on_axes(file, *table, mask, one);
        if (on) {
          mask = std::move(*on);
          wrong.reset();
          break;
        }
        if (!wrong) wrong = on.error();
      }
      if (wrong) return tl::unexpected(*wrong);
      if (auto ok = check_order(mask); !ok) return at(file, entry, "{}", ok.error().message);
      if (mask.upper.empty() && mask.lower.empty()) return at(file, entry, "upper or lower: one is wanted");
      out.masks.push_back(std::move(mask));
    }
  }
  return out;
}

}  // namespace heron::judge
