#pragma once
#include <array>

/// What the simulated instruments can do and how they err, in one place. docs/bench.md shows the same numbers.
namespace heron::sim {

struct GeneratorData {
  double highest_frequency = 25e6;  ///< Hz
  double lowest_frequency = 1e-3;   ///< Hz
  double highest_level_pp = 20;     ///< V open circuit, offset included
  double lowest_level_pp = 1e-3;    ///< V
  int bits = 14;                    ///< of amplitude within an attenuator range
  std::array<double, 4> ranges_pp = {0.02, 0.2, 2, 20};
  double frequency_step = 1e-6;  ///< Hz
  double setting_time = 2e-3;    ///< s per change
};

struct InputData {
  std::array<double, 11> ranges = {0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50};  ///< V peak
  double resistance = 1e6;                                                           ///< ohm
  double capacitance = 15e-12;                                                       ///< F
  double bandwidth = 25e6;                                                           ///< Hz, one pole
  int bits = 14;
  double highest_sample_rate = 100e6;  ///< Hz; lower rates by whole division
  double noise_density = 12e-9;        ///< V/sqrt(Hz) over the bandwidth
  double range_noise = 4e-5;           ///< rms noise that grows with the range, as a share of it
  double u_gain = 3e-4;                ///< relative, standard deviation over inputs and ranges
  double u_offset = 5e-4;              ///< of range
  double u_delay = 0.2e-9;             ///< s
  double range_time = 5e-3;            ///< s for a change of range
};

}  // namespace heron::sim
