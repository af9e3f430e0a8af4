#pragma once
#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/columns.h"
#include "study/watch.h"
#include "study/waveforms.h"
#include "study/wires.h"

namespace heron::study::power {

/// What is read off a record.
enum class Method : std::uint8_t {
  cycles,     ///< what alternates: powers, harmonics, phasors
  switch_on,  ///< the same, and what is drawn until it has settled
  profile,    ///< a small rail's current over decades
  recording,  ///< readings over hours
};

/// Classes of equipment after IEC 61000-3-2.
enum class LimitClass : std::uint8_t { none, a, b, c, d };

enum class Sequence : std::uint8_t { abc, acb };

/// How figures are read off records. Stored with the study; changing one reads old takes anew.
struct Settings {
  std::optional<Method> method;           ///< unset: as the brief had it, else cycles
  Wires wires = {};  ///< by role: "va"; those that are not there are filled by name
  LimitClass limits = LimitClass::none;
  std::optional<Sequence> sequence;
  bool regenerating = false;
  double settle_band = 0.1;               ///< of the steady rms
  double window = 10e-3;                  ///< s, that stands for the half cycle on a DC feed
  double state_time = 1e-3;               ///< of the record, that a state lasts at least
  double glitch = 0;                      ///< s, of an active stretch that does not count
  std::optional<double> battery;          ///< C
  std::vector<std::string> states = {};   ///< names of the states from the lowest up
  std::optional<double> nominal_voltage, nominal_current;  ///< rms, of a phase, where they are known
  std::optional<double> from, to;         ///< s, what is analysed
  std::optional<double> start, step;      ///< s, of a table without a column of times
  std::optional<double> sample_rate;      ///< Hz, the same
  double u_limit = 0.02;                  ///< relative uncertainty above which a figure is doubted
  std::vector<std::pair<double, double>> fuse = {};  ///< s and A: what it bears for how long
  std::vector<Watch> watches = {};
  std::string cycles_by = {};             ///< the quantity that tells the cycles; empty: the first voltage
};

Result<void> set(Settings& settings, std::string_view key, std::string_view text);
Result<Settings> settings_from_text(const SettingsText& text);
SettingsText as_text(const Settings& settings);
/// A point's record as it is read with these settings.
Result<WaveformsPtr> waveforms_of(const Point& point, const Settings& settings, std::size_t record = 0);

std::optional<Method> method_of(std::string_view text);
std::string method_text(Method method);

}  // namespace heron::study::power
