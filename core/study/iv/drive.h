#pragma once
#include "device/rating.h"
#include "study/iv/plan.h"

namespace heron::study::iv {

/// The share of a rating that is near to it.
inline constexpr double kNearRating = 0.8;

/// Everything off, however a run ends.
struct AtRest {
  bench::Bench& bench;
  ~AtRest() { bench.off(); }
};

inline Error stopped() { return {Fault::stopped, "Stopped."}; }

/// A source of the plan as a source-measure channel, at a value.
bench::SourceMeasureSetup setup_of(const Source& source, int channel, double value);

/// A rating as a take keeps it: {"voltage": V, "current": A, "power": W}, what is not rated left out.
nlohmann::json rating_json(const device::Rating& rating);

/// The value of the largest size that a source goes to.
double furthest(const Source& source);

}  // namespace heron::study::iv
