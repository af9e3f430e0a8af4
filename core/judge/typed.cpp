#include "judge/typed.h"

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::judge {
namespace {

constexpr const char* kTypedExample = "Write it like: Inductance 10.3 uH \u00b10.2 uH, by the bridge in the lab.";

bool starts_number(const std::string& text, std::size_t at) {
  const auto digit = [&](std::size_t k) { return k < text.size() && std::isdigit(static_cast<unsigned char>(text[k])); };
  return digit(at) || ((text[at] == '-' || text[at] == '+' || text[at] == '.') && digit(at + 1));
}

/// Where the value begins: the last word that starts with a number and has only units behind it. Names may have numbers
/// in them ("R 25 of L1 42 mohm").
std::size_t value_at(const std::string& text) {
  for (std::size_t at = 1; at < text.size(); ++at)
    if (text[at - 1] == ' ' && starts_number(text, at) && parse_quantity(text.substr(at), "")) return at;
  return std::string::npos;
}

}  // namespace

Result<TypedFigure> understand_typed(const std::string& typed, const study::Kind& kind) {
  auto line = trimmed(replaced(replaced(typed, "\u2212", "-"), "+/-", "\u00b1"));
  line = replaced(line, "+-", "\u00b1");
  const auto comma = line.find(", ");
  const auto source = comma == std::string::npos ? std::string() : trimmed(line.substr(comma + 2));
  if (source.empty()) return fail(Fault::input, "Where was it read? {}", kTypedExample);
  const auto said = trimmed(line.substr(0, comma));
  const auto by = said.find("\u00b1");
  const auto first = trimmed(said.substr(0, by));
  const auto at = value_at(first);
  if (at == std::string::npos) return fail(Fault::input, "\"{}\" is no name with a value behind it. {}", first, kTypedExample);
  const auto value = parse_quantity(first.substr(at), "");
  if (!value) return tl::unexpected(value.error());
  TypedFigure out;
  out.source = source;
  out.figure.label = trimmed(first.substr(0, at));
  out.figure.value = value->value;
  out.figure.unit = value->unit.empty() ? "1" : value->unit;
  for (const auto& own : kind.figures())
    if (lower(own.label) == lower(out.figure.label))
      return fail(Fault::input, "{} is read off takes; give what another meter says a name of its own.", own.label);
  if (by != std::string::npos) {
    const auto width_text = trimmed(said.substr(by + std::string_view("\u00b1").size()));
    const bool share = width_text.ends_with("%") && out.figure.unit != "%";
    const auto width = parse_value(width_text, share ? "%" : out.figure.unit);
    if (!width) return tl::unexpected(width.error());
    const double expanded = share ? std::abs(value->value) * *width / 100 : *width;
    if (!(expanded >= 0)) return fail(Fault::input, "An uncertainty is not below zero. {}", kTypedExample);
    constexpr double kCoverage = 2;
    out.figure.u = expanded / kCoverage;
  }
  out.figure.key = "typed.";
  for (const char c : lower(out.figure.label)) out.figure.key += c == ' ' ? '_' : c;
  return out;
}

std::vector<study::FigureName> names_of(const std::vector<TypedFigure>& figures) {
  std::vector<study::FigureName> out;
  for (const auto& one : figures)
    if (std::none_of(out.begin(), out.end(), [&](const auto& n) { return n.key == one.figure.key; }))
      out.push_back({.label = one.figure.label, .key = one.figure.key, .unit = one.figure.unit});
  return out;
}

const TypedFigure* find_typed(const std::vector<TypedFigure>& figures, std::string_view key, long long unit) {
  const auto it = std::find_if(figures.begin(), figures.end(),
                               [&](const auto& f) { return f.figure.key == key && f.unit == unit; });
  return it == figures.end() ? nullptr : &*it;
}

}  // namespace heron::judge
