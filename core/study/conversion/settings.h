#pragma once
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/columns.h"
#include "study/watch.h"

namespace heron::study::conversion {

/// A shunt that warms itself: R (1 + tempco (T - 25 degC)), T above the surroundings by thermal times I^2 R.
struct Shunt {
  double ohms = 0;
  double temperature_coefficient = 0;  ///< 1/K
  double thermal_resistance = 0;       ///< K/W

  bool operator==(const Shunt&) const = default;
  /// Relative change of its value by its own heat at a current.
  double drift(double current) const { return temperature_coefficient * thermal_resistance * current * current * ohms; }
};

/// How figures are read off points and records. Stored with the study; changing one reads old takes anew.
struct Settings {
  std::optional<double> line, frequency, temperature;  ///< V, Hz, degC: which curve of several is meant
  std::optional<double> line_from, line_to;            ///< V: points of other inputs are left out
  std::optional<double> load_from, load_to;            ///< A: points of other outputs are left out
  std::optional<double> nominal;                       ///< V of the output
  std::optional<double> tolerance;                     ///< share of the nominal that the output may be off
  double dropout_fraction = 0.02;                      ///< of the regulated output
  double settled_share = 0.5;                          ///< of a plateau, at its end, that is averaged
  double settle_band = 0.01;                           ///< of the output about where it ends
  std::optional<double> switching;                     ///< Hz, where the device's own lines are
  std::optional<double> from, to;                      ///< s, of a record
  std::optional<double> start, step, sample_rate;      ///< s, s, Hz of a table without a column of times
  double u_limit = 0.01;                               ///< relative uncertainty above which a figure is doubted
  std::map<std::string, Shunt, std::less<>> shunts = {};  ///< by quantity, "iin" or "iout"
  std::vector<std::pair<double, double>> expected = {};  ///< A of the output and per cent: efficiency by the data sheet
  std::vector<Watch> watches = {};
};

Result<void> set(Settings& settings, std::string_view key, std::string_view text);
Result<Settings> settings_from_text(const SettingsText& text);
SettingsText as_text(const Settings& settings);

}  // namespace heron::study::conversion
