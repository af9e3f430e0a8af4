#pragma once
#include <map>
#include <optional>
#include <string>

namespace heron::device {

/// What a pin or a branch of the device must never see more of. Absent: not stated.
struct Rating {
  std::optional<double> voltage;      ///< V peak against ground
  std::optional<double> current;      ///< A peak
  std::optional<double> power;        ///< W
  std::optional<double> temperature;  ///< degC of the surroundings
  std::optional<double> duration;     ///< s for which it may be driven at a time

  bool operator==(const Rating&) const = default;
};

/// By the name of the pin or branch; "device" for the whole.
using Ratings = std::map<std::string, Rating>;

}  // namespace heron::device
