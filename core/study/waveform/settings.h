#pragma once
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/result.h"
#include "study/columns.h"
#include "study/watch.h"
#include "study/waveforms.h"

namespace heron::study::waveform {

/// What per cents are of.
enum class PercentOf {
  states,  ///< of the difference of the two states
  start,   ///< of the starting value, for a decay that never settles
};

/// How figures are read off records. Stored with the study; changing one reads old takes anew.
struct Settings {
  double lower = 0.1, upper = 0.9;        ///< of the state difference: where transitions begin and end
  double settle_band = 0.02;              ///< of the state difference
  PercentOf of = PercentOf::states;
  std::optional<double> resistance;       ///< ohm, for energy and charge of a voltage alone
  std::optional<double> from, to;         ///< s, what is analysed
  std::optional<double> start, step;      ///< s, of a table without a column of times
  std::optional<double> bandwidth;        ///< Hz of the chain, where the hookup does not say it
  double u_limit = 0.01;                  ///< relative uncertainty above which a figure is doubted
  bool average = false;                   ///< figures are read off the mean of all passes
  std::vector<Watch> watches;
  std::vector<std::pair<std::string, std::string>> expected;  ///< quantity, and its formula of t over part values
};

Result<void> set(Settings& settings, std::string_view key, std::string_view text);
Result<Settings> settings_from_text(const SettingsText& text);
/// A point as it is read with these settings.
Result<WaveformsPtr> waveforms_of(const Point& point, const Settings& settings);
/// All that are set, as text that set() reads back.
SettingsText as_text(const Settings& settings);

}  // namespace heron::study::waveform
