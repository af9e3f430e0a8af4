#pragma once
#include <functional>
#include <map>
#include <string>
#include <string_view>

#include "study/settings_table.h"

/// Which quantity plays which role, where names do not tell: for every kind whose records have roles.
namespace heron::study {

/// A role that is filled by a quantity: turned and scaled where a check of the wiring said so.
struct Wire {
  std::string quantity;
  double factor = 1;
};
using Wires = std::map<std::string, Wire, std::less<>>;  ///< by role; those that are not there are filled by name

/// "i_pump", "-i_pump", "10*i_pump". Both ways.
Result<Wire> wire_from(std::string_view key, std::string_view text);
std::string wire_text(const Wire& wire);

inline constexpr std::string_view kWireKey = "wire.";

/// The settings "wire.ROLE".
template <class S>
Setting<S> wires_setting(Wires S::*wires, bool (*is_role)(std::string_view), std::string (*all_roles)()) {
  return {std::string(kWireKey),
          [=](S& s, std::string_view key, std::string_view text) -> Result<void> {
            const std::string role(key.substr(kWireKey.size()));
            if (!is_role(role)) return fail(Fault::usage, "{}: there is no such role; there are {}.", key, all_roles());
            if (text == "none") {
              (s.*wires).erase(role);
              return {};
            }
            auto wire = wire_from(key, text);
            if (!wire) return tl::unexpected(wire.error());
            (s.*wires).insert_or_assign(role, std::move(*wire));
            return {};
          },
          [=](const S& s, SettingsText& out) {
            for (const auto& [role, wire] : (s.*wires)) out[std::string(kWireKey) + role] = wire_text(wire);
          }};
}

}  // namespace heron::study
