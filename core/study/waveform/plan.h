#pragma once
#include <nlohmann/json.hpp>
#include <string>
#include <utility>
#include <vector>

#include "base/result.h"
#include "bench/bench.h"
#include "study/repeat.h"

namespace heron::study::waveform {

/// What drives the device.
enum class Drive {
  nothing,    ///< the device does it by itself
  generator,  ///< a waveform
  supply,     ///< a DC source that is switched on
  surge,      ///< the surge generator
  contact,    ///< a contact of the device, moved by a person
};

enum class Shape {
  sine,
  pulse,
  step,
  ramp,
  staircase,
  burst,
  points,  ///< straight lines between points, once
};

/// When a record begins.
enum class When {
  at_once,
  start,  ///< with the drive
  edge,   ///< of a quantity through a level
  narrow_pulse,  ///< the end of a pulse beyond a level that was narrower than a width
  wide_pulse,    ///< the same, wider
};

/// Which records of a take are kept.
enum class Keep {
  all,
  tripped,  ///< the first in which a watch trips; the take ends with it
};

enum class Slope { rising, falling };

/// What is asked of the bench: a drive, and records of what it does.
struct Plan {
  Drive drive = Drive::generator;
  std::string drive_pin;
  Shape shape = Shape::pulse;
  double low = 0, high = 0.1;     ///< V, open circuit: between these the generator moves
  double period = 1e-3;           ///< s, of what repeats
  double width = 0.5e-3;          ///< s, of a pulse's high part between its half-way points
  double edge = 100e-9;           ///< s, of rising and falling edges
  int cycles = 5;                 ///< of a burst
  int steps = 8;                  ///< of a staircase
  std::vector<std::pair<double, double>> points = {{0, 0}, {1e-3, 0.1}, {2e-3, 0}};  ///< s, V; times rise
  double source_resistance = 50;  ///< ohm
  double supply_voltage = 3, supply_limit = 0.1;  ///< V, A
  double surge_peak = 20, surge_resistance = 12;  ///< V open circuit, ohm
  double surge_front = 1.2e-6, surge_tail = 50e-6;  ///< s
  std::string contact;                            ///< of the device
  bool closes = false;                            ///< else it opens
  std::string feed_pin;                           ///< fed by the DC source beforehand; empty: nothing is
  double feed_voltage = 3, feed_limit = 0.1;      ///< V, A
  double feed_time = 1;                           ///< s until the device has come to rest

  bench::Hookup hookup;

  double length = 2e-3;     ///< s, of a record
  double rate = 1e6;        ///< Hz
  double before = 0.1;      ///< share of the record before the trigger
  When when = When::start;
  std::string quantity;     ///< whose edge is waited for
  double level = 0.05;      ///< in its unit
  double pulse_width = 1e-6;  ///< s, than which a pulse is narrower or wider
  Slope slope = Slope::rising;
  double hysteresis = 0;    ///< in its unit; 0: what the bench takes
  double hold_off = 0;      ///< s
  double patience = 1;      ///< s that an edge is waited for
  int passes = 1;           ///< records; where what trips is kept, the most that are looked at
  Keep keep = Keep::all;
  Repeat repeat = Repeat::once;

  long long samples() const;
  /// The record begins with something that a quantity does.
  bool waits() const { return when != When::start && when != When::at_once; }
  bool for_pulse() const { return when == When::narrow_pulse || when == When::wide_pulse; }
  /// The generator's ends, V open circuit.
  std::pair<double, double> reach() const;
  /// Whether what drives comes back by itself.
  bool repeats() const;
  /// Whether the drive may be given once before it counts: a source that is switched on, a surge, a contact may not.
  bool may_rehearse() const { return drive == Drive::generator || drive == Drive::nothing; }
};

inline constexpr long long kMostSamples = 1LL << 26;  ///< of one record
inline constexpr long long kInMemory = 1LL << 21;     ///< of one record; longer ones are stored while they come

Result<void> check(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& kept);
nlohmann::json to_json(const Plan& plan);

/// What the generator gives: rests at its first value for `lead` seconds.
bench::Waveform wave_of(const Plan& plan, double lead);

}  // namespace heron::study::waveform
