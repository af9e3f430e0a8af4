#include "judge/claim_words.h"

#include <algorithm>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::judge {
namespace {

constexpr const char* kExample = "Write it like: High corner at least 18 kHz, or Gain at 1 kHz 26 \u00b10.5 dB.";

/// The first `count` words and what follows them.
std::pair<std::string, std::string> split_words(const std::string& text, int count) {
  std::size_t at = 0;
  for (int k = 0; k < count; ++k) {
    at = text.find_first_not_of(' ', at);
    if (at == std::string::npos) return {text, ""};
    at = std::min(text.find(' ', at), text.size());
  }
  return {trimmed(text.substr(0, at)), trimmed(text.substr(at))};
}

struct Named {
  std::string key, unit, rest;
};

/// The figure that the line begins with.
Result<Named> find_figure(const std::string& line, const study::Kind& kind,
                          const std::vector<study::FigureName>& typed) {
  const auto small = lower(line);
  const study::FigureName* best = nullptr;
  auto names = kind.figures();
  const auto own = names.size();
  names.insert(names.end(), typed.begin(), typed.end());
  for (const auto& name : names) {
    const auto label = lower(name.label) + (!name.at.empty() ? " at " : " ");
    if (small.starts_with(label) && (!best || label.size() > best->label.size())) best = &name;
  }
  if (!best) {
    // Or by its key, parameter included.
    const auto [key, rest] = split_words(line, 1);
    for (std::size_t k = own; k < names.size(); ++k)
      if (names[k].key == key) return Named{key, names[k].unit, rest};
    if (const auto unit = kind.unit_of(key); unit && kind.check_figure(key)) return Named{key, *unit, rest};
    return fail(Fault::input, "\"{}\" begins with no figure that is known. {}", line, kExample);
  }
  if (best->at.empty()) return Named{best->key, best->unit, trimmed(line.substr(best->label.size()))};
  const auto after = trimmed(line.substr(best->label.size() + 4));
  for (const int words : {2, 1}) {
    const auto [where, rest] = split_words(after, words);
    const auto f = parse_value(where, best->at);
    const bool whole = words == 1 || lower(where).find(lower(best->at.substr(0, 1))) != std::string::npos;
    if (f && whole && !rest.empty()) return Named{best->key + "@" + replaced(where, " ", ""), best->unit, rest};
  }
  return fail(Fault::input, "At how many {}? {}", best->at, kExample);
}

/// What words after a figure or a curve mean; the first that the rest begins with.
struct Relation {
  std::string_view words;
  bool lower;
};
constexpr Relation kRelations[] = {{">=", true},     {"at least", true}, {"not below", true}, {"above", true},
                                   {"over", true},   {"<=", false},      {"at most", false},  {"not above", false},
                                   {"below", false}, {"under", false},   {">", true},         {"<", false}};

/// A plain ratio has no unit to write.
std::string limit_text(double value, const std::string& unit) {
  return unit == "1" || unit.empty() ? fmt::format("{:.12g}", value) : fmt::format("{:.12g} {}", value, unit);
}

}  // namespace

Result<Claim> understand_claim(const std::string& written, const study::Kind& kind,
                               const std::vector<study::FigureName>& typed) {
  const auto line = trimmed(written);
  if (line.empty()) return fail(Fault::input, "{}", kExample);
  const auto figure = find_figure(line, kind, typed);
  if (!figure) return tl::unexpected(figure.error());
  Claim claim{.text = line, .figure = figure->key};
  auto rest = replaced(figure->rest, "\u2265", ">=");
  rest = replaced(rest, "\u2264", "<=");
  rest = replaced(rest, "+-", "\u00b1");
  rest = replaced(rest, "+/-", "\u00b1");
  rest = replaced(rest, "\u2212", "-");
  const auto small = lower(rest);
  // Where the unit is the data's, the limit's own says it.
  auto unit = figure->unit;
  const auto value = [&](const std::string& text) -> Result<double> {
    const auto limit = parse_quantity(trimmed(text), unit);
    if (!limit) return tl::unexpected(limit.error());
    if (unit.empty()) unit = limit->unit;
    return limit->value;
  };
  const auto unit_of = [](const std::string& text) {
    const auto at = text.find_first_not_of("+-0123456789.,e \u2009");
    return at == std::string::npos ? std::string() : text.substr(at);
  };
  for (const auto& relation : kRelations)
    if (small.starts_with(relation.words)) {
      const auto limit = value(rest.substr(relation.words.size()));
      if (!limit) return tl::unexpected(limit.error());
      (relation.lower ? claim.lower : claim.upper) = limit_text(*limit, unit);
      if (auto ok = check(claim, kind, nullptr, typed); !ok) return tl::unexpected(ok.error());
      return claim;
    }
  if (const auto at = rest.find("\u00b1"); at != std::string::npos) {
    auto middle_text = trimmed(rest.substr(0, at));
    const auto by_text = trimmed(rest.substr(at + 2));
    const bool percent = by_text.ends_with("%");
    // "26 +-0.5 dB": the unit at the end is both's.
    if (!percent && unit_of(middle_text).empty()) middle_text += " " + unit_of(by_text);
    const auto middle = value(middle_text);
    const auto by = percent ? parse_value(by_text, "%") : value(by_text);
    if (!middle) return tl::unexpected(middle.error());
    if (!by) return tl::unexpected(by.error());
    const double half = std::abs(percent ? *middle * *by / 100 : *by);
    claim.lower = limit_text(*middle - half, unit);
    claim.upper = limit_text(*middle + half, unit);
  } else if (const auto to = small.find(" to "); to != std::string::npos) {
    auto first = trimmed(rest.substr(0, to));
    const auto second = trimmed(rest.substr(to + 4));
    if (unit_of(first).empty()) first += " " + unit_of(second);
    const auto low = value(first), high = value(second);
    if (!low) return tl::unexpected(low.error());
    if (!high) return tl::unexpected(high.error());
    if (!(*high > *low)) return fail(Fault::input, "The range \"{}\" ends below its start.", rest);
    claim.lower = limit_text(*low, unit);
    claim.upper = limit_text(*high, unit);
  } else {
    return fail(Fault::input, "\"{}\" sets no limit that is understood. {}", rest, kExample);
  }
  if (auto ok = check(claim, kind, nullptr, typed); !ok) return tl::unexpected(ok.error());
  return claim;
}

namespace {

constexpr const char* kMaskExample =
    "Write it like: gain at most 27 dB from 100 Hz to 10 kHz, or gain at least 20 dB at 20 Hz, 25 dB at 100 Hz.";

/// A place along the curve: "100 Hz", above zero, or "0.7 V".
Result<double> place(const std::string& text, std::string_view unit) {
  auto f = parse_value(trimmed(text), unit);
  if (f && unit == "Hz" && !(*f > 0)) return fail(Fault::input, "A frequency above zero is wanted. {}", kMaskExample);
  return f;
}

}  // namespace

Result<std::optional<Mask>> understand_mask(const std::string& typed) {
  using Line = std::vector<std::pair<double, double>>;
  auto line = trimmed(typed);
  const auto whole = line;
  // Where it begins is a figure's key, which has letters of its own.
  std::string begins;
  if (const auto at = lower(line).rfind(" after "); at != std::string::npos) {
    begins = trimmed(std::string_view(line).substr(at + 7));
    line = trimmed(std::string_view(line).substr(0, at));
  }
  const auto cased = replaced(replaced(replaced(line, "\u2265", ">="), "\u2264", "<="), "\u2212", "-");
  const auto small = lower(cased);
  const auto end = std::min(small.find(' '), small.size());
  Mask mask{.text = whole, .curve = small.substr(0, end)};
  mask.after = begins;
  const auto axes = axes_of(mask.curve);
  // A quantity keeps the letters it was named with, and goes over times that say so.
  const bool over_time = axes && axes->unit.empty();
  if (over_time) mask.curve = line.substr(0, end);
  auto unit = axes ? std::string(axes->unit) : std::string();
  const auto x_unit = axes ? axes->x_unit : std::string_view();
  const auto after = std::min(small.find_first_not_of(' ', end), small.size());
  const auto rest = trimmed(std::string_view(small).substr(after));
  const Relation* relation = nullptr;
  for (const auto& r : kRelations)
    if (!relation && rest.starts_with(r.words)) relation = &r;
  const bool flat = small.find(" from ") != std::string::npos, several = small.find(',') != std::string::npos;
  if (!axes || !relation || (!flat && !several)) return std::optional<Mask>();
  if (over_time) {
    // "v_out at most 12 V from 0 s to 1 ms": its last word is a time; a claim's limits are not.
    const auto behind = std::max(small.rfind(flat ? " to " : " at ") + 4, end);
    const auto last = parse_quantity(trimmed(std::string_view(small).substr(std::min(behind, small.size()))), "");
    if (!last || last->unit != "s") return std::optional<Mask>();
  }
  // Known units are understood in any letters; of others mV and MV are two.
  const auto limits = trimmed(std::string_view(over_time ? cased : small).substr(after + relation->words.size()));
  Line points;
  if (flat) {
    const auto from = limits.find(" from "), to = limits.find(" to ");
    if (from == std::string::npos || to == std::string::npos || to < from)
      return fail(Fault::input, "From where to where? {}", kMaskExample);
    const auto y = value_on(trimmed(limits.substr(0, from)), unit);
    const auto low = place(limits.substr(from + 6, to - from - 6), x_unit), high = place(limits.substr(to + 4), x_unit);
    for (const auto* one : {&y, &low, &high})
      if (!*one) return tl::unexpected(one->error());
    points = {{*low, *y}, {*high, *y}};
  } else {
    for (const auto& piece : pieces(limits)) {
      const auto at = piece.find(" at ");
      if (at == std::string::npos) return fail(Fault::input, "\"{}\": where along the curve? {}", piece, kMaskExample);
      const auto y = value_on(trimmed(piece.substr(0, at)), unit), x = place(piece.substr(at + 4), x_unit);
      if (!y) return tl::unexpected(y.error());
      if (!x) return tl::unexpected(x.error());
      points.emplace_back(*x, *y);
    }
  }
  for (std::size_t k = 1; k < points.size(); ++k)
    if (!(points[k].first > points[k - 1].first))
      return fail(Fault::input, "A mask goes from left to right. {}", kMaskExample);
  if (points.size() < 2) return fail(Fault::input, "A mask has two points or more. {}", kMaskExample);
  if (over_time) mask.unit = unit;
  (relation->lower ? mask.lower : mask.upper) = std::move(points);
  return std::optional(std::move(mask));
}

}  // namespace heron::judge
