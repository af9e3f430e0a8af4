#pragma once
#include <array>
#include <optional>
#include <string>

#include "study/switching/samples.h"
#include "study/switching/shot.h"

/// What is read off one event, and what each error of the channels does to it.
namespace heron::study::switching {

enum class Key : std::uint8_t {
  energy_on, energy_off, delay_on, rise_time, delay_off, fall_time, dv_dt_on, dv_dt_off, di_dt_on, di_dt_off,
  peak_voltage, overshoot_voltage, peak_current, recovery_current, recovery_charge, energy_recovery,
};
inline constexpr std::size_t kKeys = 16;

struct Definition {
  Key key;
  const char *name, *label, *unit;
  bool on;          ///< of the turn-on, else of the turn-off
};
const std::array<Definition, kKeys>& definitions();
const Definition& definition(Key key);

/// Errors that both events of a shot, and all shots of a take, have in common.
enum class Source : std::uint8_t { v_gain, i_gain, v_offset, i_offset, delay, f_gain };
inline constexpr std::size_t kSources = 6;
using BySource = std::array<double, kSources>;

/// One value of an event, or why there is none.
struct Found {
  tl::expected<double, std::string> value = tl::unexpected<std::string>("");
  double own = 0;                    ///< standard uncertainty from noise and from the levels
  BySource shared = {};              ///< what one standard uncertainty of each source does, signed
  double from = 0, to = 0;           ///< s, where it was read

  double u() const;
};

/// An event as it was read.
struct Edge {
  Event event;
  std::array<Found, kKeys> found;
  BySource load_shared = {};         ///< what the sources do to the load current
  std::optional<std::pair<double, double>> window = {};  ///< s, of the energy

  const Found& get(Key key) const { return found[std::size_t(key)]; }
};

/// Quantities around an event.
struct Core {
  double from = 0, to = 0;
  Samples v, i;
  std::optional<Samples> g, v_f, i_f;
};
/// As much around an event as its windows need.
Result<Core> core_of(const Shot& shot, const Event& event, const Windows& windows);

/// The values alone, of what was read around an event: quick enough to follow a hand that drags a window.
Edge edge_of(const Core& core, const Event& event, const Windows& windows);

/// @param u_skew  s, where the skew that was taken off is known to that; unset: as the channels' data say
Result<Edge> read_edge(const Shot& shot, const Event& event, const Windows& windows, std::optional<double> u_skew);

/// The energy of an event were i_d later by so many seconds more. Nothing where it cannot be read so.
std::optional<double> energy_at(const Core& core, const Event& event, const Windows& windows, double later);

}  // namespace heron::study::switching
