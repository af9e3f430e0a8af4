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

/// What is written of a mask behind its relation.
struct Lines {
  std::string text;   ///< "27 dB from 100 Hz to 10 kHz", or "20 dB at 20 Hz, 25 dB at 100 Hz"
  bool flat = false;  ///< the first of the two
};

/// A value as it is written, or in other letters: "20 uj". Unlike ones, mV and MV, keep theirs.
Result<double> value_in(const std::string& text, std::string& unit) {
  auto exact = value_on(trimmed(text), unit);
  if (exact || unit.empty()) return exact;
  if (auto other = value_on(lower(trimmed(text)), unit)) return other;
  return exact;
}

/// A place along the curve: "100 Hz", above zero, or "0.7 V".
Result<double> place(const std::string& text, std::string_view unit) {
  std::string own(unit);
  auto f = value_in(text, own);
  if (f && unit == "Hz" && !(*f > 0)) return fail(Fault::input, "A frequency above zero is wanted. {}", kMaskExample);
  return f;
}

/// Whether the last word is a time; a claim's limits are not.
bool ends_in_time(const Lines& lines) {
  const auto at = lower(lines.text).rfind(lines.flat ? " to " : " at ");
  if (at == std::string::npos) return false;
  const auto last = parse_quantity(trimmed(std::string_view(lines.text).substr(at + 4)), "");
  return last && last->unit == "s";
}

struct Points {
  std::vector<std::pair<double, double>> points;
  std::string unit;
};
/// The lines as they are understood on one pair of axes.
Result<Points> points_on(const Lines& lines, const study::MaskCurve& axes) {
  Points out{{}, std::string(axes.unit)};
  const auto small = lower(lines.text);
  const auto add = [&](const std::string& y_text, std::initializer_list<std::string> places) -> Result<void> {
    const auto y = value_in(y_text, out.unit);
    if (!y) return tl::unexpected(y.error());
    for (const auto& one : places) {
      const auto x = place(one, axes.x_unit);
      if (!x) return tl::unexpected(x.error());
      out.points.emplace_back(*x, *y);
    }
    return {};
  };
  if (lines.flat) {
    const auto from = small.find(" from "), to = small.find(" to ");
    if (from == std::string::npos || to == std::string::npos || to < from)
      return fail(Fault::input, "From where to where? {}", kMaskExample);
    if (auto ok = add(lines.text.substr(0, from), {lines.text.substr(from + 6, to - from - 6), lines.text.substr(to + 4)}); !ok) return tl::unexpected(ok.error());
  } else {
    for (const auto& piece : pieces(lines.text)) {
      const auto at = lower(piece).find(" at ");
      if (at == std::string::npos) return fail(Fault::input, "\"{}\": where along the curve? {}", piece, kMaskExample);
      if (auto ok = add(piece.substr(0, at), {piece.substr(at + 4)}); !ok) return tl::unexpected(ok.error());
    }
  }
  for (std::size_t k = 1; k < out.points.size(); ++k)
    if (!(out.points[k].first > out.points[k - 1].first))
      return fail(Fault::input, "A mask goes from left to right. {}", kMaskExample);
  if (out.points.size() < 2) return fail(Fault::input, "A mask has two points or more. {}", kMaskExample);
  return out;
}

}  // namespace

Result<std::optional<Mask>> understand_mask(const std::string& typed, const study::Kind& kind) {
  auto line = trimmed(typed);
  Mask mask{.text = line};
  // Where it begins is a figure's key, which has letters of its own.
  if (const auto at = lower(line).rfind(" after "); at != std::string::npos) {
    mask.after = trimmed(std::string_view(line).substr(at + 7));
    line = trimmed(std::string_view(line).substr(0, at));
  }
  line = replaced(replaced(replaced(line, "\u2265", ">="), "\u2212", "-"), "\u2264", "<=");
  const auto small = lower(line);
  // What stands before the first relation is the curve.
  const Relation* relation = nullptr;
  std::size_t at = std::string::npos;
  for (const auto& r : kRelations)
    if (const auto found = small.find(" " + std::string(r.words)); found < at) {
      relation = &r;
      at = found;
    }
  if (!relation) return std::optional<Mask>();
  const auto behind = at + 1 + relation->words.size();
  const Lines lines{trimmed(std::string_view(line).substr(behind)), small.find(" from ", behind - 1) != std::string::npos};
  if (!lines.flat && lines.text.find(',') == std::string::npos) return std::optional<Mask>();
  const auto curve = trimmed(std::string_view(line).substr(0, at)), known = lower(curve);
  std::optional<Error> wrong;
  for (const auto& name : {known, curve})
    for (const auto& axes : axes_of(kind, name)) {
      // A quantity may be called as a figure is: what is over times says times.
      const bool quantity = axes.name == name && axes.unit.empty() && axes.x_unit == "s";
      if (quantity && (name != curve || !ends_in_time(lines))) continue;
      auto read = points_on(lines, axes);
      if (!read) {
        if (!wrong) wrong = read.error();
        continue;
      }
      mask.curve = curve_called(std::string(axes.name) + curve.substr(axes.name.size()));
      mask.along = axes.x_unit;
      if (axes.unit.empty()) mask.unit = read->unit;
      (relation->lower ? mask.lower : mask.upper) = std::move(read->points);
      return std::optional(std::move(mask));
    }
  if (wrong) return tl::unexpected(*wrong);
  return std::optional<Mask>();
}

}  // namespace heron::judge
