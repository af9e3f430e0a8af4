#pragma once
#include <cmath>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "signal/block_sums.h"
#include "signal/record_lines.h"
#include "study/spectrum/settings.h"
#include "study/waveforms.h"

namespace heron::study::spectrum {

/// Whether so many cycles are a whole number of them, as it is known of what drives.
inline bool is_whole(double cycles) { return std::abs(cycles - std::round(cycles)) < 1e-3; }

/// A line that stands out, or that was looked for.
struct Tone {
  double frequency = 0, u_frequency = 0;  ///< Hz, as observed
  double power = 0, u_power = 0;          ///< mean square, in the unit squared; what noise adds is taken off
};

struct Harmonic {
  int order = 2;
  double unfolded = 0;    ///< Hz, where it is before it folds
  Tone tone;
  std::string lost = {};  ///< why it cannot be told: it lies on another
};

/// What a line of the spectrum is taken for.
enum class Owner : std::uint8_t { noise, standing, fundamental, harmonic, other };

/// The spectrum of one quantity of one point, and what is found in it.
struct Spectrum {
  std::string name, unit;         ///< of the quantity
  std::optional<double> full_scale;  ///< that its data say by themselves, peak
  double sample_rate = 0;         ///< Hz
  std::size_t samples = 0;        ///< of one transform
  double line = 0;                ///< Hz between lines
  signal::Window window = signal::Window::rectangular;
  signal::WindowFacts facts;
  double averages = 1;            ///< independent ones
  bool coherent = false;          ///< a whole number of cycles, to a hundredth
  double off_coherent = 0;        ///< periods from there

  std::vector<double> power;      ///< per line, unit squared: lines of noise add up to its mean square
  std::vector<double> rest;       ///< the same without the fundamental: its leakage is taken off where a window keeps it small
  std::vector<Owner> owner;       ///< per line
  std::vector<signal::BlockSums> blocks;  ///< of `rest`, every kBlock lines and those that are left

  static constexpr std::size_t kBlock = 256;

  std::optional<Tone> fundamental;
  std::string no_fundamental;     ///< why not
  double place = 0;               ///< of the fundamental, in lines
  std::vector<Tone> others;       ///< tones that stand out and are no harmonics...
  std::size_t taken_off = 0;      ///< ...the first of them no longer in `rest`
  std::vector<Harmonic> harmonics;
  std::optional<Tone> worst;      ///< largest other tone, harmonics included
  double noise = 0, u_noise = 0;  ///< mean square of all but fundamental and harmonics: other tones, and what lies below all of them
  double density = 0;             ///< of what is no tone at all, unit squared per Hz
  double distortion = 0, u_distortion = 0;  ///< sum of the harmonics' powers
  std::vector<Link> links = {};   ///< that every line is divided by

  double frequency_of(std::size_t k) const { return line * double(k); }
  /// What lies at a place in lines.
  Tone tone_at(double place) const;
  /// What lies at these frequencies, folded, as one; or why it cannot be told.
  tl::expected<Tone, std::string> products(const std::vector<double>& frequencies) const;
  /// Residual over a band, weighted on wish; unit squared.
  Tone residual(double from, double to, Weighting weighting) const;
};

/// What leaks beside a tone so far off a whole number of cycles under a window, beyond its main lobe; a ratio of powers.
double leakage(double off, signal::Window window, std::size_t samples);

/// Power gain of the A weighting (IEC 61672-1), 1 at 1 kHz.
double a_weighting(double frequency);

/// @param records  of one quantity, all of one rate: averages
/// @param own_links  what the sensor does to each line, beside the links that the settings tell of
/// @return Fault::input where times are not even or records are too short
Result<Spectrum> spectrum_of(const std::vector<TracePtr>& records, const Settings& settings, const std::vector<Link>& own_links = {});

}  // namespace heron::study::spectrum
