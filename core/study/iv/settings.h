#pragma once
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "base/result.h"

namespace heron::study::iv {

/// What the swept voltage is.
enum class Axis {
  output,    ///< the one that the current flows through: two-terminal parts, output curves
  transfer,  ///< the one that controls: gate to source
};

/// How figures are read off current against voltage. Stored with the study; changing one reads old takes anew.
struct Settings {
  Axis axis = Axis::output;
  std::optional<double> temperature;        ///< K, of the junction, for kT/q; unset: what the take says, else 300.15
  std::optional<double> threshold_current;  ///< A, at which threshold.constant is read
  std::optional<double> drain_voltage;      ///< V, where a transfer curve has no step column
  double loop_threshold = 0.02;             ///< opening above which a loop is doubted
  std::optional<double> from, to;           ///< V, what is analysed
  std::optional<int> open;                  ///< number of the take with the device out, which is taken off
  double u_limit = 0.01;                    ///< relative uncertainty above which a figure is doubted
};

/// Sets one from its text. Unknown keys are Fault::usage; values that make no sense too.
Result<void> set(Settings& settings, std::string_view key, std::string_view text);
Result<Settings> settings_from_text(const std::map<std::string, std::string>& text);

/// All that are set, as text that set() reads back.
std::map<std::string, std::string> as_text(const Settings& settings);

}  // namespace heron::study::iv
