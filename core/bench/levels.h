#pragma once
#include <cmath>
#include <complex>
#include <map>
#include <string>
#include <vector>

namespace heron::bench {

/// What a circuit should show at one place while it is driven as planned: for checks and doubts, never for figures.
struct Level {
  double peak = 0;            ///< of the changing part, in the quantity's unit
  double dc = 0;              ///< in the quantity's unit
  double at_frequency = 0;    ///< Hz, where the peak is highest
  bool held = false;          ///< by the source itself: no device's tolerance moves it
  double unloaded_peak = 0;   ///< what the peak would be into 1 Mohm, where the input is of 50 ohm
  std::vector<double> peaks;  ///< at each of Levels::frequencies
  std::vector<std::complex<double>> unburdened = {};  ///< what it would be with nothing connected over what it is

  double highest() const { return std::abs(dc) + peak; }
  double above_zero() const { return peak + dc; }
  double below_zero() const { return peak - dc; }
};

struct Levels {
  std::vector<double> frequencies;          ///< Hz
  std::map<std::string, Level> quantities;  ///< by the chain's name
  std::map<std::string, Level> pins;        ///< by the pin's name, V against ground
  std::map<std::string, Level> branches;    ///< by the branch's name, A
};

}  // namespace heron::bench
