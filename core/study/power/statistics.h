#pragma once
#include <complex>
#include <optional>
#include <string>
#include <vector>

#include "signal/whole_cycles.h"
#include "study/power/wiring.h"

namespace heron::study::power {

inline constexpr int kHighest = 40;  ///< harmonic that is counted (IEC 61000-4-7)
inline constexpr std::size_t kMostSamples = std::size_t(1) << 24;  ///< of a channel, that are read at once

/// All that figures of what alternates are made of: means over whole cycles, and phasors. Channels are the voltages of the
/// phases, then their currents.
struct Statistics {
  double frequency = 0, u_frequency = 0;  ///< Hz
  int cycles = 0;
  double samples = 0;                     ///< that the cycles have
  std::size_t phases = 1;
  bool has_voltage = false, has_current = false;
  bool of_lines = false;                  ///< voltages are from line to line
  std::vector<double> mean;               ///< one a channel
  std::vector<std::vector<double>> product;  ///< mean of x_i x_j
  std::vector<std::vector<std::complex<double>>> phasor;  ///< [channel][order - 1], peak
  std::vector<double> highest;            ///< |x|, largest; of voltages from line to line that of the phases
  std::vector<double> noise;              ///< variance of what is no harmonic, on each sample
  std::vector<double> rounding;           ///< standard uncertainty of the highest by noise
  double phasor_variance = 0;             ///< of either part of a phasor, for noise of unit variance

  std::size_t voltage(std::size_t phase) const { return phase; }
  std::size_t current(std::size_t phase) const { return (has_voltage ? phases : 0) + phase; }
  std::size_t channels() const { return mean.size(); }
  int orders() const { return phasor.empty() ? 0 : int(phasor.front().size()); }
};

/// What each channel's errors are.
struct ChannelErrors {
  double u_gain = 0, u_offset = 0, u_delay = 0;
  double corner = 0, low_corner = 0, u_corner = 0;
};

struct Measured {
  Statistics statistics;
  std::vector<ChannelErrors> errors;  ///< one a channel
  double drift = 0;                   ///< relative, of the frequency from the first half to the second
  double current_repeats = 0;         ///< Hz: what the first current repeats with, where that is something else; 0: the same
};

/// The samples of every channel of the wiring over [from, to] of the settings, in its factor.
struct Rows {
  std::vector<std::vector<double>> values;
  double start = 0;  ///< s, of the first
  bool cut = false;  ///< there are more than are read at once
};
Result<Rows> rows_of(const Waveforms& record, const Wiring& wiring, const Settings& settings);

/// Corners of the sensors are taken off, channels laid on one time.
/// @return why there is nothing that alternates, where there is nothing
tl::expected<Measured, std::string> measure_rows(const Waveforms& record, const Wiring& wiring, const Rows& rows);
/// Of samples that are read for it.
Result<tl::expected<Measured, std::string>> measure(const Waveforms& record, const Wiring& wiring, const Settings& settings);

/// The same with a small error on one channel.
enum class ErrorOf : std::uint8_t { gain, offset, delay, corner };
Statistics moved(const Statistics& s, std::size_t channel, ErrorOf what, double by, const ChannelErrors& errors);

}  // namespace heron::study::power
