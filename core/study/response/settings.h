#pragma once
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "base/result.h"

namespace heron::study::response {

/// How figures are read off a response. Stored with the study; changing one reads old takes anew.
struct Settings {
  double drop_db = 3.010299956639812;         ///< 10 lg 2, half power
  std::string reference = "auto";             ///< auto, first, last, max
  std::optional<double> reference_frequency;  ///< Hz, instead
  std::optional<double> from, to;             ///< Hz, what is analysed
  double u_limit_relative = 0.01;
  double u_limit_db = 0.1;
  double u_limit_deg = 1;
};

/// Sets one from its text. Unknown keys are Fault::usage; values that make no sense too.
Result<void> set(Settings& settings, std::string_view key, std::string_view text);

/// Those that differ from their defaults, and the drop, as text that set() reads back.
std::map<std::string, std::string> as_text(const Settings& settings);

}  // namespace heron::study::response
