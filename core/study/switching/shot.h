#pragma once
#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include <tl/expected.hpp>

#include "study/switching/settings.h"

/// A record of one device through one or more pulses: what is sensed, what it rests at, and where it switches.
namespace heron::study::switching {

enum class Role : std::uint8_t { v_ds, i_d, v_gs, v_f, i_f };
inline constexpr std::size_t kRoles = 5;
std::string_view role_name(Role role);
std::string_view role_unit(Role role);
bool is_role(std::string_view name);
/// "v_ds, i_d, ..." for errors.
std::string all_roles();

/// A quantity in its role: turned, scaled, zeroed and moved in time as the settings say.
struct Sensed {
  TracePtr trace;
  TraceErrors errors;
  double noise = 0;       ///< standard deviation of each sample, rounding included
  double together = 1;    ///< variance of a sum of neighbours against that of independent ones
  std::size_t place = 0;  ///< in the record
  double factor = 1, zero = 0;  ///< the trace is factor * what is in the record - zero...
  double earlier = 0;           ///< ...and s earlier
};

/// A level that something rests at, near an event.
struct Rest {
  double value = 0, u = 0;
};

/// Where v_ds rises after conduction, or falls.
struct Event {
  bool on = false;
  double at = 0;          ///< s: v_ds passes the middle
  double from = 0, to = 0;  ///< s, half way to what happens before and after
  double current_at = 0;  ///< s: i_d passes the middle
  Rest bus, load;         ///< V, A
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

/// Samples of a quantity within [from, to], with one more on either side.
struct Samples {
  std::vector<double> t, y;  ///< s, in the unit
  double noise = 0, together = 1;

  double at(double time) const;  ///< linearly; the first or last value beyond the ends
};
Result<Samples> samples_of(const Sensed& sensed, double from, double to);

}  // namespace heron::study::switching
