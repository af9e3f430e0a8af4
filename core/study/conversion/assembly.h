#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/result.h"
#include "study/conversion/rows.h"
#include "study/conversion/steps.h"
#include "study/raw.h"
#include "study/shared_error.h"

/// From points as they come to rows and records.
namespace heron::study::conversion {

/// How a place's temperature went while it was waited for.
struct Warming {
  std::string place;
  std::vector<double> times, read;  ///< s since the point was set, degC
  double u = 0;                     ///< K, of the last
  bool rests = true;
  double by = 0;                    ///< K a minute that it still moved by
};

/// Means of one reading of a point after another, until they agreed.
struct Watched {
  std::vector<double> times;                              ///< s since the point was set
  std::array<std::vector<double>, kPorts> read = {};
};

/// What is known of how a point was read, besides its row: what doubts are made of.
struct Evidence {
  int point = 0;
  double line = 0, load = 0;              ///< V as set, A that was read; for people
  bool from_bench = false;
  std::optional<double> line_set;         ///< V
  bool limited = false;                   ///< the source stood at its current limit
  bool load_limited = false;
  bool sensed = true;                     ///< at the device's pins
  double leads = 0;                       ///< ohm, both of source or load together
  std::optional<double> lost_in_leads;    ///< W, where both ends were read
  /// How far the second half of the reading lies from the first, in u; and of what.
  double halves = 0;
  Port halves_of = Port::vout;
  double halves_by = 0;                   ///< in its unit
  /// The same between the last reading and the one before it, where it was read until it agreed.
  double moved = 0;
  Port moved_of = Port::vout;
  double moved_by = 0;
  bool agreed = true;
  int passes = 1;
  std::optional<double> switching;        ///< Hz, as it was told
  std::optional<Warming> warming = {};
  Watched watched = {};                   ///< empty where it was read once
  WaveformsPtr record = {};               ///< the last reading's samples, where inputs read
};

/// Points of a take as they come.
class Assembly {
 public:
  explicit Assembly(Settings settings) : settings_(std::move(settings)) {}

  /// Fault::input for what is neither points nor a record of conversion.
  Result<void> add(const Point& point);

  const Rows& rows() const { return rows_; }
  const std::vector<Evidence>& evidence() const { return evidence_; }
  const std::vector<SteppedRecordPtr>& records() const { return records_; }
  bool empty() const { return rows_.empty() && records_.empty(); }
  const Settings& settings() const { return settings_; }

 private:
  Result<void> add_table(const Record& table, int index);
  Result<void> add_readings(const Point& point);
  int source(const std::string& what) { return numbers_(what); }

  Settings settings_;
  SourceNumbers numbers_;
  Rows rows_;
  std::vector<Evidence> evidence_;
  std::vector<SteppedRecordPtr> records_;
};

/// Keys of a point's setting.
inline constexpr const char *kStepped = "stepped", *kLine = "line", *kLoad = "load", *kFrequency = "frequency", *kSurroundings = "temperature", *kSupply = "supply", *kLoadRead = "load_reading",
                            *kSensed = "sensed", *kLeads = "leads", *kAgreed = "agreed", *kWarming = "warming", *kWatched = "watched";

/// A reading of an instrument's own as a point keeps it.
nlohmann::json kept_reading(const bench::SourceReading& reading);
nlohmann::json kept_warming(const Warming& warming);
nlohmann::json kept_watched(const Watched& watched);

}  // namespace heron::study::conversion
