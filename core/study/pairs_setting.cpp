#include "study/pairs_setting.h"

#include <cmath>

#include "base/words.h"

namespace heron::study {

Result<Pairs> pairs_from(std::string_view key, std::string_view text, const PairsRule& rule) {
  Pairs out;
  if (text == "none") return out;
  for (const auto& pair : pieces(text)) {
    const auto wrong = [&] { return fail(Fault::usage, "{}: {} are wanted in \"{}\", such as {}.", key, rule.words, pair, rule.example); };
    // A number may stand apart from its unit or not: the space is the one with a number on either side.
    std::optional<std::pair<double, double>> found;
    for (auto cut = pair.find(' '); cut != std::string::npos && !found; cut = pair.find(' ', cut + 1)) {
      const auto x = parse_value(pair.substr(0, cut), rule.x_unit), y = parse_value(pair.substr(cut + 1), rule.y_unit);
      if (x && y) found.emplace(*x, *y);
    }
    if (!found || !(found->first > 0) || !(found->second > 0) || !std::isfinite(found->first) || !std::isfinite(found->second)) return wrong();
    if (!out.empty() && !(found->first > out.back().first)) return fail(Fault::usage, "{}: its {} must rise.", key, rule.x_words);
    out.push_back(*found);
  }
  return out;
}

std::string pairs_text(const Pairs& pairs, const PairsRule& rule) {
  std::string out;
  for (const auto& [x, y] : pairs) out += fmt::format("{}{:.12g} {} {:.12g} {}", out.empty() ? "" : ", ", x, rule.x_unit, y, rule.y_unit);
  return out;
}

}  // namespace heron::study
