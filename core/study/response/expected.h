#pragma once
#include <stop_token>
#include <vector>

#include "study/expected.h"
#include "study/response/plan.h"
#include "study/surroundings.h"

/// What a response should look like by the circuit or by a formula: drawn beside what was measured, never mixed with
/// it.
namespace heron::study::response {

struct ExpectedCurve : Expected {
  std::vector<double> frequency;                                 ///< Hz
  std::vector<double> gain_db, gain_low_db, gain_high_db;        ///< of nominal parts, and the band of tolerances
  std::vector<double> phase_deg, phase_low_deg, phase_high_deg;  ///< unwrapped
  int draws = 0;                                                 ///< sets of parts that the band is made of
};

inline constexpr int kExpectationDraws = 100;

/// Over the plan's band. The band holds 95 % of the draws of all toleranced parts within their tolerances, seeded.
///
/// @param around   its circuit is asked; Fault::input without one
/// @param formula  H(f) over part names, f, w and s; empty for the circuit's own small-signal answer
Result<ExpectedCurve> expected_curve(const Plan& plan, const Surroundings& around, const Settings& settings,
                                     const std::string& formula, std::stop_token stop = {});

/// The sine that a plan drives with, as the circuit is asked about it.
bench::ToneDrive tone_of(const Plan& plan, double peak_to_peak);

/// What the circuit should show under a plan, at its frequencies; of noise over the band.
Result<bench::Levels> predict_levels(const Plan& plan, const bench::Foresight& circuit);

}  // namespace heron::study::response
