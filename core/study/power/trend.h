#pragma once
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "study/power/settings.h"

namespace heron::study::power {

/// Something that was noticed while a recording ran: a watch that tripped, or what happened to the recording itself.
struct LogEntry {
  double from = 0, to = 0;  ///< s from the recording's beginning
  std::string watch = {};   ///< empty: of the recording itself
  std::string text = {};
  double extreme = 0;
  std::string unit = {};
  std::optional<int> point = {};  ///< that kept the raw record
};

/// What of a quantity a reading tells.
enum class Reads : std::uint8_t { mean, rms, low, high, itself };
std::string_view reads_text(Reads reads);

/// One quantity's readings.
struct TrendColumn {
  std::string name, unit;  ///< "v_rail.mean"
  std::vector<double> values;
  std::string quantity = {};
  Reads reads = Reads::itself;
};

/// Readings over hours.
struct Trend {
  std::vector<double> time;  ///< s, of each reading's middle
  std::vector<TrendColumn> columns;
  std::vector<LogEntry> log;

  const TrendColumn* find(std::string_view name) const;
  const TrendColumn* find(std::string_view quantity, Reads reads) const;
  bool empty() const { return time.empty(); }
  /// More readings, of the same columns in the same order; Fault::input where they are others.
  Result<void> add(const Record& readings, const nlohmann::json& setting, int index);
};

/// In a point's setting: it holds readings, and the log since the last.
inline constexpr const char *kReadings = "readings", *kLog = "log";

nlohmann::json to_json(const LogEntry& entry);

}  // namespace heron::study::power
