#pragma once
#include <optional>
#include <string_view>
#include <utility>
#include <vector>

#include "base/result.h"
#include "study/columns.h"
#include "study/waveforms.h"
#include "study/wires.h"

namespace heron::study::switching {

/// Where the integrals of an event begin and end, as shares of the load current and of the bus voltage (IEC 60747-8, -9).
struct Windows {
  double on_start = 0.1, on_end = 0.1, off_start = 0.1, off_end = 0.1;

  bool operator==(const Windows&) const = default;
};

/// What a data sheet says of an energy: A and J.
using Promised = std::vector<std::pair<double, double>>;

/// How figures are read off shots. Stored with the study; changing one reads old takes anew.
struct Settings {
  Wires wires = {};                            ///< by role: "v_ds"
  std::optional<double> v_bus, i_load;         ///< V, A; unset: the levels seen
  double on_start = 0.1, on_end = 0.1, off_start = 0.1, off_end = 0.1;
  double skew = 0;                             ///< s by which i_d lags v_ds, taken off
  bool zero = true;                            ///< i_d is zeroed by what it reads before the first pulse
  std::optional<double> bandwidth;             ///< Hz of the chains, where nothing else tells it
  std::optional<double> shunt;                 ///< ohm, where i_d is read across one
  std::optional<double> from, to;              ///< s, what is analysed
  std::optional<double> start, step;           ///< s, of a table without a column of times
  std::optional<double> sample_rate;           ///< Hz, the same
  double u_limit = 0.02;                       ///< relative uncertainty above which a figure is doubted
  double safe_voltage = 5;                     ///< V, below which the bus may be touched
  std::optional<double> voltage_rating, current_rating, power_rating;  ///< V, A, W of the device
  Promised expected_on = {}, expected_off = {};
  std::optional<double> expected_voltage, expected_resistor;           ///< V, ohm that these hold at

  Windows windows() const { return {on_start, on_end, off_start, off_end}; }
};

Result<void> set(Settings& settings, std::string_view key, std::string_view text);
Result<Settings> settings_from_text(const SettingsText& text);
SettingsText as_text(const Settings& settings);
/// A point's record as it is read with these settings.
Result<WaveformsPtr> waveforms_of(const Point& point, const Settings& settings, std::size_t record = 0);

}  // namespace heron::study::switching
