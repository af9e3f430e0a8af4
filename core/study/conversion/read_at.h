#pragma once
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/result.h"
#include "study/conversion/rows.h"

/// What is asked at one load, and the curve it is read on.
namespace heron::study::conversion {

inline constexpr double kAsked = 0.02;  ///< a line or a load within so much of the one asked is meant

enum class AskedOf : std::uint8_t { efficiency, loss, dropout };

/// A figure at an output current, as asked: "efficiency@100mA,12V", "loss@1A,frequency=400kHz", "dropout@200mA".
struct AtLoad {
  AskedOf of = AskedOf::efficiency;
  double current = 0;  ///< A
  std::optional<double> line = {}, frequency = {}, temperature = {};
};
struct AskedFigure {
  AskedOf of;
  const char *key, *label, *unit;
};
inline constexpr AskedFigure kAtLoad[] = {{AskedOf::efficiency, "efficiency", "Efficiency", "1"}, {AskedOf::loss, "loss", "Loss", "W"}, {AskedOf::dropout, "dropout", "Dropout", "V"}};
inline const AskedFigure& about(AskedOf of) { return kAtLoad[std::size_t(of)]; }

/// Fault::usage where it makes no sense; nothing for a key of another form.
Result<std::optional<AtLoad>> at_load(std::string_view key);

/// The curve that is meant, of those that there are; or why there is none.
tl::expected<const LoadCurve*, std::string> chosen(const std::vector<LoadCurve>& curves, const Settings& settings, const AtLoad* asked = nullptr);

/// Efficiency (or loss, W) at a current, linearly between points.
tl::expected<std::pair<Value, double>, std::string> read_at(const LoadCurve& curve, double current, bool loss);

}  // namespace heron::study::conversion
