#pragma once
#include <map>
#include <string_view>
#include <vector>

#include "signal/code_density.h"
#include "study/kind.h"
#include "study/spectrum/spectrum.h"

namespace heron::study::spectrum {

/// What was read at one point: the spectra of all its quantities.
struct PointSpectra {
  int index = 0;
  WaveformsPtr records;             ///< the first of them, over time
  std::vector<TracePtr> traces;     ///< the same as they are read: codes as volts
  std::vector<Spectrum> spectra;    ///< one a quantity
  std::size_t stimulus = std::size_t(-1);  ///< the one that is what drives, where it is sensed: looked at, no figure of the device
  /// Of quantities that are codes: how wide those are, or why that cannot be told.
  using Density = std::optional<tl::expected<signal::CodeDensity, std::string>>;
  std::vector<Density> densities;   ///< one a quantity
  std::vector<std::optional<Coding>> codings;  ///< one a quantity
};

std::vector<FigureName> figure_names();
Result<void> check_figure_key(std::string_view key);
/// Empty where it is the data's or the settings'; nothing for figures there are not.
std::optional<std::string> figure_unit(std::string_view key);

/// @param asked  figures with parameters that are wanted besides
Result<Reading> figures_of(const PointSpectra& point, const Settings& settings, const std::vector<std::string>& asked);

/// With the full scale that the quantity says by itself: a converter's; samples without a unit, as sound has them, go from
/// -1 to 1.
Settings scaled_for(const Spectrum& spectrum, const Settings& settings);
/// What noise is expected of an ideal converter with so many bits, or of one whose sampling instants jitter.
struct ExpectedNoise {
  std::string name;   ///< "ideal 12 bit", "jitter 1.6 ns"
  double power = 0;   ///< mean square over all of the spectrum, unit squared
};
/// Of a sine of peak A at f: step^2/12 (IEEE 1241), and (2 pi f sigma A)^2/2.
std::vector<ExpectedNoise> expected_noise(const PointSpectra& point, std::size_t quantity, const Settings& settings);

/// Whether all that is asked is how wide codes are, of which a sine shall bring every one.
bool of_codes_alone(const std::vector<std::string>& asked);
/// Whether any figure is asked in which noise counts, or none in particular.
bool asks_for_noise(const std::vector<std::string>& asked);
/// Level of a mean square: dBFS where full scale is known, else dB re 1 of the unit.
double level_db(double power, const Settings& settings);
std::string level_unit(const std::string& unit, const Settings& settings);

}  // namespace heron::study::spectrum
