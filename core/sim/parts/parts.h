#pragma once
#include <memory>
#include <vector>

#include "sim/device.h"

/// The families of parts. Adding one: a file beside these, a line here, a line in sim/parts.cpp.
namespace heron::sim::parts {

std::vector<PartKind> passives();       ///< resistor, capacitor, inductor, coupled inductors, thermistor
std::vector<PartKind> sources();        ///< voltage and current sources, controlled sources
std::vector<PartKind> expressions();    ///< sources by formula
std::vector<PartKind> switches();       ///< switch, converter stages
std::vector<PartKind> junctions();      ///< diode, photovoltaic cell
std::vector<PartKind> transistors();    ///< bipolar, FET, junction FET, phototransistor pair
std::vector<PartKind> op_amps();        ///< op amp, linear regulator
std::vector<PartKind> motors();         ///< motor, motor winding
std::vector<PartKind> converters();     ///< analogue to digital converter
std::vector<PartKind> bench_sources();  ///< limited source, limited current source, electronic load

template <class T>
std::unique_ptr<Device> build(const DeviceContext& c) {
  return std::make_unique<T>(c);
}

}  // namespace heron::sim::parts
