#pragma once
#include "study/brief.h"
#include "study/waveform/plan.h"
#include "study/word_table.h"

namespace heron::study::waveform {

/// Every setting of a brief, once.
const WordTable<Plan>& words();

std::vector<BriefPiece> brief(const Plan& plan);
std::string time_sentence(const Plan& plan, const bench::Limits& limits);

/// With one word changed, checked as a whole.
Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around);
BriefHint hint(const Plan& plan, std::string_view key, const Surroundings& around);

}  // namespace heron::study::waveform
