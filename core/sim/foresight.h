#pragma once
#include <memory>

#include "bench/foresight.h"
#include "sim/circuit.h"

namespace heron::sim {

/// What a circuit foresees of itself. Values of fitted parts stand over the nominal ones.
std::shared_ptr<const bench::Foresight> foresight_of(Circuit nominal, std::map<std::string, double> fitted);

}  // namespace heron::sim
