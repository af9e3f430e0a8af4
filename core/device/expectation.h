#pragma once
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "base/result.h"
#include "device/rating.h"

/// What a device should do by its parts.
namespace heron::device {

/// A part value with what it may be off by, relative.
struct PartFact {
  double value = 0, tolerance = 0;
};

/// "Low corner = 1/(2*pi*R3*C4)": a number that the design promises.
struct Expectation {
  std::string name, formula, unit;

  bool operator==(const Expectation&) const = default;
};

/// The formula's value with the parts' tolerances carried through.
struct Expected {
  double value = 0;
  double worst = 0;   ///< half width when every part is at the worse end of its tolerance (sum of magnitudes)
  double likely = 0;  ///< standard uncertainty, each tolerance taken as uniform (GUM 4.3.7): root of the sum of squares
};

/// First order: each part is moved by its tolerance in turn, to both sides.
Result<Expected> expect(const std::string& formula, const std::map<std::string, PartFact>& parts);

nlohmann::json to_json(const Ratings& ratings);
Ratings ratings_from_json(const nlohmann::json& json);
/// What of kept ratings is not understood, such as "out: voltage"; empty where all is.
std::string unreadable_ratings(const nlohmann::json& json);
nlohmann::json to_json(const std::vector<Expectation>& expectations);
std::vector<Expectation> expectations_from_json(const nlohmann::json& json);

}  // namespace heron::device
