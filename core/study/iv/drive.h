#pragma once
#include <nlohmann/json.hpp>
#include <span>

#include "device/rating.h"
#include "study/iv/plan.h"

namespace heron::study::iv {

/// The share of a rating that is near to it.
inline constexpr double kNearRating = 0.8;

inline Error stopped() { return {Fault::stopped, "Stopped."}; }

/// A source of the plan as a source-measure channel, at a value.
bench::SourceMeasureSetup setup_of(const Source& source, int channel, double value);

/// What of a reading is held against a rating of its pin.
struct Rated {
  const char *key, *unit;  ///< as a take keeps the rating
  std::optional<double> device::Rating::*limit;
  double (*of)(double voltage, double current);
  const char* reverse;  ///< key of the rating that stands against the other sign, where there is one; null: none can
  bool reversed;        ///< is itself against the other sign

  /// How far a reading goes towards this rating. @param ratings  of the pin, as the take keeps them
  double highest(double voltage, double current, const nlohmann::json& ratings) const;
};
std::span<const Rated> rated();

/// A rating as a take keeps it: {"voltage": V, "current": A, "power": W}, what is not rated left out.
nlohmann::json rating_json(const device::Rating& rating);

/// The value of the largest size that a source goes to.
double furthest(const Source& source);

}  // namespace heron::study::iv
