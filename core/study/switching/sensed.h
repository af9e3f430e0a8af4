#pragma once
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "study/switching/settings.h"

/// What the quantities of a shot are to its device.
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

/// What fills a role; nothing where the record has no such quantity. Fault::input where a setting names one that is not there.
Result<std::optional<Sensed>> sensed(const Waveforms& record, Role role, const Settings& settings);

/// The same with another zero, known to that.
Sensed zeroed(const Sensed& of, double zero, double u);

}  // namespace heron::study::switching
