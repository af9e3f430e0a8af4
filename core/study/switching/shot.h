#pragma once
#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "study/switching/levels.h"

/// A record of one device through one or more pulses: what is sensed, what it rests at, and where it switches.
namespace heron::study::switching {

/// Where v_ds rises after conduction, or falls.
struct Event {
  bool on = false;
  double at = 0;          ///< s: v_ds passes the middle
  double from = 0, to = 0;  ///< s, half way to what happens before and after
  double current_at = 0;  ///< s: i_d passes the middle
  Rest bus, load;         ///< V, A
  double load_slope = 0;  ///< A/s, at which the load climbs on after a turn-on
  double load_climbed(double t) const { return load_slope * (t - at); }
  std::optional<Rest> gate_low, gate_high;  ///< V
};

/// Where the inductor's current is built up.
struct Ramp {
  double from = 0, to = 0;             ///< s
  double slope_first = 0, slope_last = 0;  ///< A/s over the first and the last third
  double u_first = 0, u_last = 0;
};

struct Shot {
  WaveformsPtr record;
  std::array<std::optional<Sensed>, kRoles> of;
  double from = 0, to = 0;             ///< s, what is analysed
  double high = 0, low = 0;            ///< V that v_ds rests at
  std::vector<double> falls, rises;    ///< s, of v_ds
  tl::expected<Event, std::string> off = tl::unexpected<std::string>("there is no turn-off"), on = tl::unexpected<std::string>("there is no turn-on");
  std::optional<Rest> before;          ///< A that i_d read before the first pulse, or while it is off; taken off where the settings say so
  std::optional<Ramp> ramp;
  bool reversed = false;               ///< i_d runs the wrong way
  bool swapped = false;                ///< v_ds looks like the current and i_d like the voltage

  const Sensed* find(Role role) const { return of[std::size_t(role)] ? &*of[std::size_t(role)] : nullptr; }
  const Sensed& get(Role role) const { return *of[std::size_t(role)]; }
};
using ShotPtr = std::shared_ptr<const Shot>;

/// Fault::input where v_ds or i_d is missing, or a quantity that a setting names. What cannot be found is told by its reason.
Result<ShotPtr> read_shot(WaveformsPtr record, const Settings& settings);

}  // namespace heron::study::switching
