#pragma once
#include <stop_token>
#include <string>
#include <vector>

#include "study/expected.h"
#include "study/surroundings.h"
#include "study/waveform/plan.h"
#include "study/waveform/settings.h"

namespace heron::study::waveform {

/// What quantities should do by formulas of t over part values: drawn beside what was measured, never mixed with it.
struct ExpectedWaveforms : Expected {
  struct Curve {
    std::string quantity, unit;
    std::vector<double> value, low, high;  ///< of the parts as they are known, and the band of 95 %
  };
  std::vector<double> time;  ///< s from the trigger
  std::vector<Curve> curves;
};

/// Over the plan's record. The band joins what each part may be off by, as if small.
/// @return nothing where the settings expect nothing; Fault::input with the formula that cannot be read
Result<std::shared_ptr<const ExpectedWaveforms>> expected_waveforms(const Plan& plan, const Surroundings& around,
                                                                    const Settings& settings, std::stop_token stop = {});

}  // namespace heron::study::waveform
