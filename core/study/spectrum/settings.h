#pragma once
#include <cstddef>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>

#include "base/result.h"
#include "signal/window.h"
#include "study/columns.h"
#include "study/spectrum/link.h"

namespace heron::study::spectrum {

/// What several records become one spectrum by.
enum class Average {
  power,     ///< the mean of their power: noise becomes smooth, and stays
  coherent,  ///< the mean of the records themselves, where a trigger began them: noise goes down
};

enum class Weighting { none, a };

/// Of integers that stand for volts.
enum class CodeSign {
  twos_complement,
  none,  ///< the lowest code is 0
};

/// What can stand in the device's place: the setting of that name says which take holds it.
inline constexpr std::string_view kShorted = "short";

/// How the settings begin that say what stands between the device and the input of a quantity.
inline constexpr std::string_view kLinkSettings = "link.";

/// In a point's setting: that it was taken so, even where it is looked at by itself.
inline constexpr const char* kShortedRange = "shorted_range";

/// Longer records are read in segments of this many samples.
inline constexpr std::size_t kLongest = std::size_t(1) << 22;

/// How figures are read off spectra. Stored with the study; changing one reads old takes anew.
struct Settings {
  std::optional<signal::Window> window;   ///< unset: rectangular where coherent, else blackman_harris
  std::optional<double> fundamental;      ///< Hz, near which it is looked for
  std::optional<double> full_scale;       ///< V peak; levels are then in dBFS
  std::pair<int, int> harmonics = {2, 10};
  std::optional<std::pair<double, double>> band;  ///< Hz, that noise and distortion are counted in
  Weighting weighting = Weighting::none;
  Average average = Average::power;
  std::optional<double> segment;          ///< samples of one transform; unset: the whole record
  double overlap = 0.5;                   ///< of segments
  std::optional<double> sample_rate;      ///< Hz, of samples without times
  std::optional<double> bits;             ///< of codes in a file; with full_scale
  CodeSign coding = CodeSign::twos_complement;
  std::optional<double> aperture_jitter;  ///< s rms, as a datasheet states it: what it allows is drawn
  double histogram_samples = 64;          ///< a code, from which on its width is told
  std::map<std::string, Link, std::less<>> links = {};  ///< by quantity
  std::optional<double> shorted;          ///< number of the take with the inputs shorted
  double u_limit = 0.1;                   ///< dB, above which a figure is doubted
};

Result<Settings> settings_from_text(const SettingsText& text);
Result<void> set(Settings& settings, std::string_view key, std::string_view text);
/// All that are set, as text that set() reads back.
SettingsText as_text(const Settings& settings);

}  // namespace heron::study::spectrum
