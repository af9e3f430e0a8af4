#pragma once
#include <string>

#include "base/result.h"
#include "bench/hookup.h"

/// What is asked of the bench about a sensor chain alone, with no device.
namespace heron::run {

/// Volts at the chain's input with nothing in its sensor: leads shorted, branch open.
Result<double> read_zero(const bench::Chain& chain, const std::string& bench_name);

/// A sine of the generator that is known, read through the chain as it is set up.
struct KnownSignal {
  double read = 0, known = 0;  ///< peak, in the quantity
  double u = 0;                ///< relative standard uncertainty of both together
};
Result<KnownSignal> read_known_signal(const bench::Chain& chain, const std::string& bench_name);

}  // namespace heron::run
