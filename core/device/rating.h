#pragma once
#include <map>
#include <optional>
#include <span>
#include <string>

namespace heron::device {

/// What a pin or a branch of the device must never see more of. Absent: not stated.
struct Rating {
  std::optional<double> voltage;          ///< V peak against ground
  std::optional<double> reverse_voltage;  ///< V below ground, as a magnitude; absent: as far as above
  std::optional<double> current;          ///< A peak
  std::optional<double> reverse_current;  ///< A the other way, as a magnitude; absent: as much
  std::optional<double> power;            ///< W
  std::optional<double> temperature;      ///< degC of the surroundings
  std::optional<double> duration;         ///< s for which it may be driven at a time

  /// What stands against values of a sign.
  std::optional<double> voltage_towards(double sign) const {
    return sign < 0 && reverse_voltage ? reverse_voltage : voltage;
  }
  std::optional<double> current_towards(double sign) const {
    return sign < 0 && reverse_current ? reverse_current : current;
  }

  bool operator==(const Rating&) const = default;
};

/// One of the quantities that a rating limits: as circuits and dossiers call it, and people.
struct RatingField {
  const char *key, *unit, *label;
  std::optional<double> Rating::*member;
};
std::span<const RatingField> rating_fields();

/// By the name of the pin or branch; "device" for the whole.
using Ratings = std::map<std::string, Rating>;

}  // namespace heron::device
