#pragma once
#include <string_view>
#include <vector>

#include "study/brief.h"
#include "study/response/plan.h"

/// Brief text <-> Plan: the set-up as sentences, and what becomes of it when a word is typed.
namespace heron::study::response {

/// The sentences. Words with a key are settings; apply() takes their text back.
std::vector<BriefPiece> brief(const Plan& plan);

/// The plan with one word changed, checked as a whole; or why the word makes no sense, in a sentence.
/// @param pins  the device's pins, for the words that name one
Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const std::vector<std::string>& pins);

/// How much is read and how long a real bench needs; of noise, what the same lines would take one by one.
std::string time_sentence(const Plan& plan, const bench::Limits& limits);

/// The word's other forms and its allowed range, for a plan that already holds it.
BriefHint hint(const Plan& plan, std::string_view key, const bench::Limits& limits,
               const std::vector<std::string>& pins);

}  // namespace heron::study::response
