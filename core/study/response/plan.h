#pragma once
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/quantity.h"
#include "bench/bench.h"

namespace heron::study::response {

/// What a response study asks: a stepped sine from start to stop, and how each step is driven and read.
struct Plan {
  std::string drive_pin;
  bench::Hookup hookup;                                      ///< all that is sensed
  std::string stimulus = "stimulus", response = "response";  ///< the quantities H is made of
  double start = 10, stop = 100e3;                           ///< Hz
  bool logarithmic = true;
  double points_per_decade = 10;  ///< log sweeps; the total follows
  int points_total = 41;          ///< linear sweeps, and log sweeps where `by_total`
  bool by_total = false;
  double level_pp = 0.1;                           ///< V, open circuit
  LevelForm level_form = LevelForm::peak_to_peak;  ///< how the user says it
  double offset = 0;                               ///< V
  double source_resistance = 50;                   ///< ohm
  double settle_time = 20e-3;                      ///< s...
  double settle_periods = 2;                       ///< ...and periods, one after the other
  double periods = 8;                              ///< read at each point
  int averages = 1;
};

inline constexpr int kMostPoints = 2000;
inline constexpr int kFewestSamples = 4096;  ///< wanted in a record

/// Two direct leads: the hookup of a plan that says nothing else.
bench::Hookup direct_hookup(const std::string& stimulus_pin, const std::string& response_pin);

nlohmann::json to_json(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& json);

int point_count(const Plan& plan);

/// The frequencies in the order they are driven, stop included.
std::vector<double> frequencies(const Plan& plan);

/// Checks the plan as a whole: the order of the ends, the number of points, ranges of every number.
Result<void> check(const Plan& plan);

/// How one point is sampled.
struct Sampling {
  double rate = 0;  ///< Hz
  int samples = 0;
};
Sampling sampling(const Plan& plan, double frequency, const bench::Bench& bench);

/// Seconds that a real bench needs for one point and for the whole sweep, automatic ranging included.
double point_time(const Plan& plan, double frequency, const bench::Limits& limits);
double sweep_time(const Plan& plan, const bench::Limits& limits);

}  // namespace heron::study::response
