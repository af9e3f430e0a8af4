#pragma once
#include <vector>

#include "bench/waveform.h"
#include "study/iv/plan.h"

namespace heron::study::iv {

/// A sweep by waveform in time: for each curve the way back to where it starts, a hold, then the legs of its ramp; at
/// the end the way back to rest.
struct Ramp {
  double leg = 0;             ///< s of one way
  double back = 0, hold = 0;  ///< s before the legs of each curve
  std::vector<bool> along;    ///< for each leg of a curve: from start to stop, else from stop to start
  int points = 0;             ///< read on each leg
  std::vector<double> steps;  ///< of what is stepped, one a curve; a single 0 where nothing is

  double legs_begin() const { return back + hold; }
  double curve() const { return legs_begin() + leg * double(along.size()); }
  double total() const { return curve() * double(steps.size()) + back; }
  int bins() const { return points * int(along.size()) * int(steps.size()); }

  /// Where a time lies: which curve, leg and point, and how far from the point's middle, -1 to 1. Nothing off the legs.
  struct Place {
    int curve = 0, leg = 0, point = 0;
    double off = 0;
  };
  std::optional<Place> place(double time) const;
};
Ramp ramp_of(const Plan& plan);
nlohmann::json to_json(const Ramp& ramp);
Result<Ramp> ramp_from_json(const nlohmann::json& json);

/// What the generators give: the swept source's ramps and another's staircase, from rest to rest.
bench::Waveform wave_of(const Plan& plan, const Source& source);

/// How a ramp is sampled: whole in one record, or in stretches that come one after another while it goes.
struct RampSampling {
  double rate = 0;  ///< Hz
  int samples = 0;  ///< of one stretch
  int stretches = 0;
};
RampSampling sampling_of(const Plan& plan, double highest_rate);

}  // namespace heron::study::iv
