#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "study/brief.h"
#include "study/conversion/plan.h"
#include "study/surroundings.h"
#include "study/word_table.h"

namespace heron::study::conversion {

const WordTable<Plan>& words();
std::vector<BriefPiece> brief(const Plan& plan);
std::string time_sentence(const Plan& plan, const bench::Limits& limits);
Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around);
BriefHint hint(const Plan& plan, std::string_view key, const Surroundings& around);

/// "10 mA, 100 mA, 1 A", or "10 mA to 3 A in 20" with "log" behind it where they are even ratios. Both ways.
std::string steps_text(const std::vector<double>& values, std::string_view unit);
Result<std::vector<double>> steps_from(std::string_view text, std::string_view unit);

}  // namespace heron::study::conversion
