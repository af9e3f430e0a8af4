#pragma once
#include <string>
#include <vector>

#include "study/spectrum/figures.h"

namespace heron::study::spectrum {

/// What goes from point to point.
struct Axis {
  std::string name;  ///< "level", "frequency"
  std::string unit;  ///< V (rms), Hz
  std::string form = {};  ///< said behind a value: "rms"

  /// "163 mV rms"
  std::string place(double at) const;
};

/// A point of a sweep: where it was taken, and the figures that were read there.
struct Swept {
  double at = 0;
  const PointSpectra* point = nullptr;
  Reading reading = {};
};

/// Figures of a sweep: those asked at a level or frequency (`thd@20mV`), between points linear in dB against lg; the stimulus
/// and the response where the gain lies 1 dB under that of the lowest decade of levels.
/// @param points  rising in `at`
Result<Reading> sweep_figures(const std::vector<Swept>& points, const Axis& axis, const Settings& settings, const std::vector<std::string>& asked);

/// Distortion, noise, output and harmonics over the sweep.
Columns sweep_curve(const std::vector<Swept>& points, const Axis& axis);

/// Whether the key is one of a sweep: NAME@L, or a compression.
bool of_sweep(std::string_view key);
/// Fault::usage for what is none.
Result<void> check_sweep_key(std::string_view key);
/// Empty where it is the data's.
std::optional<std::string> sweep_unit(std::string_view key);

}  // namespace heron::study::spectrum
