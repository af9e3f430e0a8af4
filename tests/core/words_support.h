#pragma once
#include <string>

#include "study/plan.h"
#include "support.h"

/// What the words of any plan take, refuse, and show beside themselves.
namespace heron::test {

/// With a word changed; fails the test where that is refused.
inline study::PlanPtr with(const study::Plan& plan, std::string_view key, std::string_view text, const study::Surroundings& around) {
  auto changed = plan.with(key, text, around);
  if (!changed) FAIL(std::string(key) << " " << std::string(text) << ": " << changed.error().message);
  return *changed;
}

/// Why a word is refused; empty where it is taken.
inline std::string refused(const study::Plan& plan, std::string_view key, std::string_view text, const study::Surroundings& around) {
  const auto changed = plan.with(key, text, around);
  return changed ? std::string() : spaced(changed.error().message);
}

inline std::string text_of(const study::Plan& plan, const std::string& key) {
  for (const auto& piece : plan.brief())
    if (piece.key == key) return spaced(piece.text);
  return "not shown";
}

inline std::string sentence(const study::Plan& plan) {
  std::string out;
  for (const auto& piece : plan.brief()) out += (out.empty() ? "" : " ") + piece.text;
  return spaced(out);
}

inline study::BriefHint hint_of(const study::Plan& plan, std::string_view key, const study::Surroundings& around) {
  auto out = plan.hint(key, around);
  out.forms = spaced(out.forms);
  out.allowed = spaced(out.allowed);
  return out;
}

}  // namespace heron::test
