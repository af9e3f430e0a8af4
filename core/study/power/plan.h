#pragma once
#include <cstdint>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "base/result.h"
#include "bench/bench.h"
#include "study/power/settings.h"
#include "study/repeat.h"

namespace heron::study::power {

/// What the device is fed from.
enum class Feed : std::uint8_t {
  own,     ///< its own, or nothing of the bench
  mains,   ///< the mains source, one phase
  phases,  ///< the mains source, three phases
  inverter,  ///< three phases switched off a bus
  supply,  ///< the DC source
};

/// Which raw records of a recording are kept.
enum class Keep : std::uint8_t {
  events,  ///< around what a watch caught
  none,
};

/// What is asked of the bench: what feeds, and how long is read.
struct Plan {
  Method method = Method::cycles;
  Feed feed = Feed::own;
  std::string pin, pin_b, pin_c;          ///< that is fed; the last two of three phases
  double voltage = 230, frequency = 50;   ///< V rms, Hz; of a feed of the device's own the frequency that is expected
  double line_resistance = 0.4, line_inductance = 0.8e-3;  ///< ohm, H
  double third = 0, fifth = 0;            ///< harmonics of the mains, shares
  double bus = 48, carrier = 8e3;         ///< V, Hz: of the inverter
  Sequence sequence = Sequence::abc;
  double supply_voltage = 12, supply_limit = 10;  ///< V, A
  std::string contact;                    ///< of the device, that switches it on; empty: the source's own switch
  double angle = 0;                       ///< deg of the line at which it is switched on
  double settle_time = 0.5;               ///< s from the feed to the first record; a switch-on has none

  bench::Hookup hookup;
  double rate = 50e3;                     ///< Hz
  int cycles = 10;                        ///< of a steady record
  double reading = 1;                     ///< s of one reading of a recording
  double length = 1;                      ///< s, of a switch-on, a profile, a recording
  double before = 0.1;                    ///< share of a switch-on's record before it
  int readings = 1;                       ///< steady records
  double every = 0;                       ///< s from one to the next; 0: at once
  Keep keep = Keep::events;
  Repeat repeat = Repeat::once;

  bool three() const { return feed == Feed::phases || feed == Feed::inverter; }
  bool alternates() const { return feed == Feed::mains || three(); }
  bool happens_once() const { return method == Method::switch_on; }
  /// s of one record, or of one reading of a recording.
  double record_length() const { return method == Method::cycles ? cycles / frequency : method == Method::recording ? reading : length; }
  long long samples() const;
  double seconds() const;
};

inline constexpr long long kMostRecord = 1LL << 24;     ///< samples of one record
inline constexpr long long kMostRecording = 1LL << 30;  ///< samples of a recording

Result<void> check(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& kept);
nlohmann::json to_json(const Plan& plan);

}  // namespace heron::study::power
