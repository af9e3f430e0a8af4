#pragma once
#include <map>
#include <string_view>
#include <vector>

#include "study/kind.h"
#include "study/spectrum/spectrum.h"

namespace heron::study::spectrum {

/// What was read at one point: the spectra of all its quantities.
struct PointSpectra {
  int index = 0;
  WaveformsPtr records;             ///< the first of them, over time
  std::vector<Spectrum> spectra;    ///< one a quantity
};

std::vector<FigureName> figure_names();
Result<void> check_figure_key(std::string_view key);
/// Empty where it is the data's or the settings'; nothing for figures there are not.
std::optional<std::string> figure_unit(std::string_view key);

/// @param asked  figures with parameters that are wanted besides
Result<Reading> figures_of(const PointSpectra& point, const Settings& settings, const std::vector<std::string>& asked);

/// With what the quantity's unit says by itself: samples without a unit, as sound has them, go from -1 to 1.
Settings scaled_for(const std::string& unit, const Settings& settings);
/// Level of a mean square: dBFS where full scale is known, else dB re 1 of the unit.
double level_db(double power, const Settings& settings);
std::string level_unit(const std::string& unit, const Settings& settings);

}  // namespace heron::study::spectrum
