#pragma once
#include "study/brief.h"
#include "study/figure.h"
#include "study/iv/plan.h"

namespace heron::study::iv {

/// The plan as sentences whose words can be edited: "Sweep drain from 0 V to 5 V in 51 points up, at most 20 mA..."
/// Words of a source have the keys source.NAME.WORD.
std::vector<BriefPiece> brief(const Plan& plan);

/// "255 points on 5 curves, about 7 s on a real bench."
std::string time_sentence(const Plan& plan, const bench::Limits& limits);

/// The plan with one word changed; errors say what would be understood.
Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const std::vector<std::string>& pins);

BriefHint hint(const Plan& plan, std::string_view key, const bench::Limits& limits,
               const std::vector<std::string>& pins);

/// The edits that slow the sweep down by a factor: a longer wait at every point.
Edits slowed(const Plan& plan, double factor, const bench::Limits& limits);

}  // namespace heron::study::iv
