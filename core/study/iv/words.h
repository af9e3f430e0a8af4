#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <utility>

#include "study/iv/plan.h"
#include "study/word_table.h"

namespace heron::study::iv {

inline constexpr double kMainsPeriod = 0.02;  ///< s

/// Name and word out of "source.NAME.WORD"; a name may hold dots.
std::optional<std::pair<std::string, std::string>> source_key(std::string_view key);

/// One source among the others: some of its words move theirs.
struct SourceIn {
  Plan plan;
  std::size_t at = 0;

  Source& source() { return plan.sources[at]; }
  const Source& source() const { return plan.sources[at]; }
};

/// Every setting of a sweep's plan, and of each of its sources.
const WordTable<Plan>& words();
const WordTable<SourceIn>& source_words();

}  // namespace heron::study::iv
