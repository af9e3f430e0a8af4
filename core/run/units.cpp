#include "run/units.h"

#include <algorithm>
#include <charconv>

#include "base/words.h"

namespace heron::run {
namespace {

/// A name that ends in a number: what stands before it, and its digits.
struct Numbered {
  std::string before, digits;
};
Numbered numbered(const std::string& name) {
  auto at = name.size();
  while (at > 0 && name[at - 1] >= '0' && name[at - 1] <= '9') --at;
  return {name.substr(0, at), name.substr(at)};
}

}  // namespace

Result<std::vector<std::string>> unit_names(std::string_view typed, const std::vector<std::string>& there) {
  const auto text = trimmed(typed);
  if (text.empty()) return fail(Fault::input, "A unit needs a name, such as unit 08; or several, unit 01 to unit 40.");
  std::vector<std::string> out = {text};
  if (const auto to = text.find(" to "); to != std::string::npos) {
    const auto first = numbered(trimmed(text.substr(0, to))), last = numbered(trimmed(text.substr(to + 4)));
    // "unit 01 to 40" is meant as well as "unit 01 to unit 40"; any other "to" is part of a name.
    if (!first.digits.empty() && !last.digits.empty() && first.digits.size() < 10 && last.digits.size() < 10 && (last.before == first.before || last.before.empty())) {
      int from = 0, until = 0;
      std::from_chars(first.digits.data(), first.digits.data() + first.digits.size(), from);
      std::from_chars(last.digits.data(), last.digits.data() + last.digits.size(), until);
      if (until < from) return fail(Fault::input, "{} comes after {}: the range ends before it begins.", text.substr(0, to), text.substr(to + 4));
      if (until - from >= kMostUnits) return fail(Fault::input, "{} units are more than {}.", until - from + 1, kMostUnits);
      out.clear();
      for (int k = from; k <= until; ++k) out.push_back(fmt::format("{}{:0{}}", first.before, k, first.digits.size()));
    }
  }
  for (const auto& name : out)
    if (std::find(there.begin(), there.end(), name) != there.end()) return fail(Fault::input, "There is a unit {} already.", name);
  return out;
}

}  // namespace heron::run
