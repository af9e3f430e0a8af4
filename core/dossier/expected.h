#pragma once
#include <stop_token>

#include "dossier/store.h"
#include "study/response/plan.h"

/// What a response should look like by the circuit or by a formula: drawn beside what was measured, never mixed with
/// it.
namespace heron::dossier {

struct ExpectedCurve {
  std::vector<double> frequency;                                 ///< Hz
  std::vector<double> gain_db, gain_low_db, gain_high_db;        ///< of nominal parts, and the band of tolerances
  std::vector<double> phase_deg, phase_low_deg, phase_high_deg;  ///< unwrapped
  std::string source;                                            ///< "the circuit", or the formula
  int draws = 0;                                                 ///< sets of parts that the band is made of
};

inline constexpr int kExpectationDraws = 100;

/// Over the plan's band. The band holds 95 % of the draws of all toleranced parts within their tolerances, seeded.
///
/// @param formula  H(f) over part names, f, w and s; empty for the circuit's own small-signal answer
Result<ExpectedCurve> expected_curve(Store& store, const Study& study, const study::response::Plan& plan,
                                     const std::string& formula, std::stop_token stop = {});

}  // namespace heron::dossier
