#include "exchange/side_by_side.h"

#include <algorithm>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::exchange {
namespace {

/// "current at 5 mA" taken apart into the role and the value; the value is nothing for a plain name.
struct Named {
  std::string role, value;
};
Named taken_apart(const std::string& name) {
  const auto small = lower(name);
  for (const std::string_view word : {" at ", " @ ", "@"})
    if (const auto at = small.find(word); at != std::string::npos && at > 0)
      return {trimmed(small.substr(0, at)), trimmed(std::string_view(name).substr(at + word.size()))};
  return {small, ""};
}

/// A step of whatever unit, in SI, and the unit.
Result<std::pair<double, std::string>> step_of(const std::string& text) {
  for (const char* unit : {"1", "V", "A", "K", "degC", "lx", "W/m2", "ohm", "Hz"})
    if (const auto value = parse_value(text, unit))
      return std::pair{*value, std::string(std::string_view(unit) == "1" ? "" : unit)};
  return fail(Fault::input, "\"{}\" is no value of a step.", text);
}

}  // namespace

Result<std::optional<Table>> unfolded(const Table& table, const study::Kind& kind) {
  if (kind.roles.front().size() != 2 ||
      std::find(kind.optional_roles.begin(), kind.optional_roles.end(), "step") == kind.optional_roles.end())
    return std::nullopt;
  const std::string x_role(kind.roles.front()[0]), y_role(kind.roles.front()[1]);
  struct Pair {
    std::size_t x, y;
    std::string_view step;
  };
  std::vector<Pair> pairs;
  std::optional<std::size_t> common;
  std::vector<Named> names;
  for (const auto& column : table.columns) names.push_back(taken_apart(column.name));
  for (std::size_t k = 0; k < names.size(); ++k) {
    if (names[k].role == y_role && names[k].value.empty()) return std::nullopt;
    if (names[k].role == "step") return std::nullopt;
    if (names[k].role == x_role && names[k].value.empty()) common = k;
  }
  std::string unit;
  for (std::size_t k = 0; k < names.size(); ++k) {
    if (names[k].role != y_role || names[k].value.empty()) continue;
    auto x = common;
    for (std::size_t j = 0; j < names.size(); ++j)
      if (names[j].role == x_role && lower(names[j].value) == lower(names[k].value)) x = j;
    if (!x) return fail(Fault::input, "{}: column {} has no {} beside it.", table.file, k + 1, x_role);
    const auto step = step_of(names[k].value);
    if (!step) return fail(Fault::input, "{}: column {}: {}", table.file, k + 1, step.error().message);
    unit = step->second;
    auto text = fmt::format("{}", step->first);
    if (table.decimal_comma) std::replace(text.begin(), text.end(), '.', ',');
    pairs.push_back({*x, k, table.keep(std::move(text))});
  }
  if (pairs.empty()) return std::nullopt;
  const auto &x0 = table.columns[pairs.front().x], &y0 = table.columns[pairs.front().y];
  Table out{.file = table.file,
            .notes = table.notes,
            .columns = {{x_role, x0.unit, x0.factor, x0.typed_unit, x0.header},
                        {y_role, y0.unit, y0.factor, y0.typed_unit, y0.header},
                        {"step", unit, 1, unit, "step"}},
            .rows = {},
            .decimal_comma = table.decimal_comma,
            .texts = table.texts};
  for (const auto& pair : pairs) {
    if (table.columns[pair.x].factor != x0.factor || table.columns[pair.y].factor != y0.factor)
      return fail(Fault::input, "{}: columns {} and {} are in other units than the first pair.", table.file, pair.x + 1,
                  pair.y + 1);
    for (const auto& row : table.rows) {
      const auto cell = [&](std::size_t k) { return k < row.cells.size() ? row.cells[k] : std::string_view(); };
      if (cell(pair.y).empty() && (cell(pair.x).empty() || pair.x == common)) continue;
      out.rows.push_back({row.line, {cell(pair.x), cell(pair.y), pair.step}});
    }
  }
  return out;
}

}  // namespace heron::exchange
