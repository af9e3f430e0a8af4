#pragma once
#include <vector>

#include "sim/device.h"

/// The families of parts. Adding one: a file beside these, a line here, a line in sim/parts.cpp.
namespace heron::sim::parts {

std::vector<PartKind> passives();  ///< resistor, capacitor, inductor
std::vector<PartKind> sources();   ///< voltage and current sources, controlled sources
std::vector<PartKind> op_amps();

}  // namespace heron::sim::parts
