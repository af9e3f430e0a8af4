#pragma once
#include <optional>
#include <vector>

#include "base/quantity.h"
#include "sim/impurity.h"
#include "sim/network.h"
#include "sim/sensing.h"
#include "sim/simulated_bench.h"
#include "sim/transient.h"

namespace heron::sim {

inline const std::string kGenerator = "bench:generator ";

inline constexpr Tolerances kTolerances{.relative = 1e-5, .absolute = 1e-8};
/// Of a transient that is read.
inline constexpr Tolerances kFineTolerances{.relative = 1e-7, .absolute = 1e-10};
/// While nobody reads: what a capacitance draws at the very moment need not be known to the last nanoampere.
inline constexpr Tolerances kUnread{.relative = 1e-4, .absolute = 1e-6};

inline std::string volts(double v) { return format_setting(v, "V"); }

/// A lead that nothing drives, so that a sensor on it has a place all the same.
void add_idle_lead(Circuit& circuit);

/// The network as driven and sensed now.
struct SimulatedBench::Wired {
  Network network;
  Transient transient;
  std::optional<PeriodicDrive> periodic;  ///< where a lone sine drives
  std::vector<Tap> taps;
  std::vector<int> tap_unknowns, terminal_unknowns;
  std::vector<std::optional<Transitions>> transitions;  ///< of taps that are converters of the device
  /// Noise density of the circuit at each tap over a common grid; empty until first needed.
  std::vector<double> grid;
  std::vector<std::vector<double>> density;
  std::vector<std::vector<Spur>> spurs;  ///< of the generators, at each tap; known when the density is

  Wired(Network n, std::optional<double> frequency)
      : network(std::move(n)), transient(network, State(std::size_t(network.size()), 0.0), 0, kTolerances) {
    if (frequency) periodic.emplace(transient, network, *frequency);
  }
};

}  // namespace heron::sim
