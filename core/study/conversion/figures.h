#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "study/conversion/rows.h"
#include "study/conversion/steps.h"
#include "study/kind.h"

namespace heron::study::conversion {

/// Efficiency or loss at an output current, as asked: "efficiency@100mA,12V", "loss@1A,frequency=400kHz".
struct AtLoad {
  std::string figure;
  double current = 0;  ///< A
  std::optional<double> line = {}, frequency = {}, temperature = {};
};
/// Fault::usage where it makes no sense; nothing for a key of another form.
Result<std::optional<AtLoad>> at_load(std::string_view key);

/// Loss over load as a sum: fixed, proportional, and by the square (W, V, ohm).
struct LossSplit {
  Value fixed, linear, square;
  double residual = 0;  ///< W rms
  double at(double current) const { return fixed.value + current * (linear.value + current * square.value); }
};
/// Of a curve with at least five loads.
std::optional<LossSplit> loss_split(const LoadCurve& curve);

/// The curve that is meant, of those that there are; or why there is none.
tl::expected<const LoadCurve*, std::string> chosen(const std::vector<LoadCurve>& curves, const Settings& settings, const AtLoad* asked = nullptr);

/// Efficiency (or loss, W) at a current, linearly between points.
tl::expected<std::pair<Value, double>, std::string> read_at(const LoadCurve& curve, double current, bool loss);

std::vector<FigureName> figure_names();
/// Fault::usage for what there is none of.
Result<void> check_figure_key(std::string_view key);
std::optional<std::string> figure_unit(std::string_view key);

/// Every figure of points and records.
/// @param rows  merged
Result<Reading> figures_of(const Rows& rows, const std::vector<SteppedRecordPtr>& records, const Settings& settings, const std::vector<std::string>& asked);

}  // namespace heron::study::conversion
