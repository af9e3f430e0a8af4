#pragma once
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/result.h"
#include "bench/bench.h"
#include "study/repeat.h"

namespace heron::study::switching {

/// What the gate of the other device does.
enum class Other : std::uint8_t {
  alone,     ///< no driver stands at it
  held,      ///< held off
  opposite,  ///< on between the pulses, with a dead time on either side
};

/// What is asked of the bench: a bus, an inductor's current, and two pulses.
struct Plan {
  std::string bus_pin;
  std::vector<double> buses = {24};        ///< V
  double capacitance = 470e-6;             ///< F of the bus
  double inductance = 100e-6;              ///< H of the load
  double saturation = 0;                   ///< A of the load; 0: not known
  std::vector<double> currents = {5};      ///< A at the end of the first pulse
  double gap = 4e-6, second = 3e-6;        ///< s

  std::string gate_pin, gate_against;      ///< of the device under test; against empty: ground
  std::string other_pin, other_against;    ///< of the other device
  Other other = Other::alone;
  double dead_time = 300e-9;               ///< s
  double gate_low = 0, gate_high = 12;     ///< V
  std::vector<double> resistors = {10};    ///< ohm while it turns on
  double off_resistor = 0;                 ///< ohm while it turns off; 0: the same
  std::vector<double> temperatures = {};   ///< degC; empty: as it is
  double edge = 20e-9;                     ///< s, that the fastest edge is expected to take

  int shots = 1;                           ///< of each setting
  double rest = 0.5;                       ///< s from one shot to the next
  bench::Hookup hookup{.chains = {}, .computed = {}, .digitiser = bench::Digitiser::fast};
  double rate = 1e9;                       ///< Hz
  double before = 2e-6, after = 3e-6;      ///< s of the record about the pulses
  Repeat repeat = Repeat::once;

  /// One setting of all that is swept.
  struct Step {
    double bus = 0, current = 0, resistor = 0;
    std::optional<double> temperature = {};
  };
  /// In the order they are taken: current first, then bus, resistor, temperature.
  std::vector<Step> steps() const;
  /// s of the first pulse: L I / V.
  double first(const Step& step) const;
  double length(const Step& step) const;   ///< s of its record
  long long samples(const Step& step) const;
  double off_resistance(const Step& step) const { return off_resistor > 0 ? off_resistor : step.resistor; }
  double seconds(const bench::Limits& limits) const;
};

/// What a shot will do, before it is fired.
struct Predicted {
  double first = 0;          ///< s
  double peak_current = 0;   ///< A, at the end of the second pulse
  double droop = 0;          ///< V of the bus by then
  double inductor_energy = 0;  ///< J, at the peak
  double conducted = 0;      ///< C, that the bus gave
  double power = 0;          ///< W: the inductor's energy, which ends as heat, over the time between shots
};
Predicted predicted(const Plan& plan, const Plan::Step& step);

inline constexpr long long kMostSamples = 1LL << 24;
inline constexpr std::size_t kMostShots = 2000;

Result<void> check(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& kept);
nlohmann::json to_json(const Plan& plan);

}  // namespace heron::study::switching
