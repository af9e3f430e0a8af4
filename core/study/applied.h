#pragma once
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/result.h"
#include "bench/hookup.h"

namespace heron::study {

/// How the channels of a point become quantities.
struct AsSensed {
  std::map<std::string, bench::Sensing, std::less<>> channels = {};
  std::vector<bench::Computed> computed = {};
  std::vector<std::pair<std::string, double>> parts = {};        ///< values that formulas see
  std::map<std::string, std::string, std::less<>> roles = {};  ///< quantity by role: "stimulus" is "v_in"
  std::optional<double> trigger_at = {};                         ///< s from the first sample, where a trigger came

  /// Volts as they are where nothing is known of the channel.
  const bench::Sensing& of(std::string_view channel) const;
  /// The role's own name where no other is given.
  std::string quantity(std::string_view role) const;
};

/// What was applied at a point and how it was sensed, as the bench reported it. Kept as JSON; typed once, when the point
/// comes through a door (a bench, a file, a dossier), so that nothing is parsed while it is reduced.
class Applied {
 public:
  Applied() = default;
  Applied(nlohmann::json kept);
  Applied(nlohmann::json::initializer_list_t kept) : Applied(nlohmann::json(kept)) {}

  /// What a kind keeps beside; an object where `readable`.
  const nlohmann::json& json() const { return json_; }
  bool readable() const { return json_.is_object(); }
  /// Fault::input where it is kept but makes no sense.
  Result<const AsSensed*> sensed() const;
  /// What stood in the device's place; empty: the device.
  const std::string& purpose() const { return purpose_; }

  /// The same with another entry.
  Applied with(const std::string& key, nlohmann::json value) const;
  Applied without(const std::string& key) const;

  bool operator==(const Applied& other) const { return json_ == other.json_; }

 private:
  nlohmann::json json_ = nlohmann::json::object();
  AsSensed sensed_;
  std::string purpose_;
  std::string wrong_;  ///< why it makes no sense
};

}  // namespace heron::study
