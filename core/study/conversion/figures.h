#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "study/conversion/rows.h"
#include "study/conversion/steps.h"
#include "study/kind.h"

namespace heron::study::conversion {

std::vector<FigureName> figure_names();
/// Fault::usage for what there is none of.
Result<void> check_figure_key(std::string_view key);
std::optional<std::string> figure_unit(std::string_view key);

/// Every figure of points and records.
/// @param rows  merged
Result<Reading> figures_of(const Rows& rows, const std::vector<SteppedRecordPtr>& records, const Settings& settings, const std::vector<std::string>& asked);

}  // namespace heron::study::conversion
