#pragma once
#include <optional>
#include <string>

#include "base/result.h"
#include "study/conversion/rows.h"

/// What the output holds against line and load.
namespace heron::study::conversion {

/// The difference over a span whose relative size is wanted as well.
struct Regulated {
  Value volts, percent, per_volt;
};
/// Between the lowest and the highest line at one load; the largest in magnitude of all loads that were read at several.
std::optional<Regulated> line_regulation(const Rows& rows, const Settings& settings);
/// The same between the lowest and the highest load at one line.
std::optional<Regulated> load_regulation(const Rows& rows, const Settings& settings);

/// Input less output (V) where the output has fallen by dropout_fraction, at an output current; or why there is none.
tl::expected<Value, std::string> dropout_at(const Rows& rows, double current, const Settings& settings);

}  // namespace heron::study::conversion
