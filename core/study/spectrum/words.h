#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "study/spectrum/plan.h"
#include "study/word_table.h"

/// Every setting of a plan of spectra, and how it reads.
namespace heron::study::spectrum {

const WordTable<Plan>& words();

std::vector<BriefPiece> brief(const Plan& plan);
std::string time_sentence(const Plan& plan, const bench::Limits& limits);
/// With one word changed, checked as a whole.
Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around);
BriefHint hint(const Plan& plan, std::string_view key, const Surroundings& around);
/// "200 mV pk-pk", "70 mV rms", "-10 dBm" as V pk-pk, open circuit.
Result<double> read_level(std::string_view text, double source_resistance);

}  // namespace heron::study::spectrum
