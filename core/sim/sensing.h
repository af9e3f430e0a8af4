#pragma once
#include <string>
#include <vector>

#include "bench/bench.h"
#include "sim/circuit.h"
#include "sim/converter.h"
#include "sim/instruments.h"

/// Sensors, attenuators and inputs as parts around a device's circuit, so that they load, filter and saturate in what
/// is solved.
namespace heron::sim {

/// Where to read and how late.
struct Tap {
  std::string node;         ///< V at the converter
  std::string terminal;     ///< V at the input's own terminal, for its protection
  double delay = 0;         ///< s of the sensor
  double offset_sigma = 0;  ///< V, of the sensor's zero
  double noise = 0;         ///< V rms, of the sensor
  std::optional<ConverterData> converter = {};  ///< of the device, that is read instead of an input
};

/// Adds everything of input `k` to the circuit.
///
/// @param factor_error  relative, of this sensor as drawn
/// @return where the input is read; Fault::bench when pin or branch do not exist
Result<Tap> add_input(Circuit& circuit, const bench::InputSetup& setup, std::size_t k, const InputData& data,
                      double factor_error);

}  // namespace heron::sim
