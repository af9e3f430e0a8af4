#pragma once
#include <string>
#include <vector>

#include "bench/hookup.h"

/// Which sensor would show a quantity of a shot best.
namespace heron::study::switching {

/// What a sensor is up against.
struct Demand {
  bool current = false;
  double peak = 0;         ///< V or A that it must bear
  double edge = 0;         ///< s, the fastest that it must show
  double common = 0;       ///< V that its pins move by together; 0: it stands on ground
  double swing = 0;        ///< V or A that common mode is held against
};

struct Ranked {
  const bench::Sensor* sensor;
  double error = 0;        ///< relative: of the factor, of the edge and of what common mode gives
  std::string why;         ///< "1 %, 110 MHz, isolated, 3 pF"
};

/// What common mode at the edge's slope leaks into what is read, of the swing.
double common_mode_error(const bench::Sensor& sensor, const Demand& demand);
/// How much longer a sensor makes the edge, relative.
double edge_error(const bench::Sensor& sensor, const Demand& demand);

/// Those that bear it and can stand there, the best first.
std::vector<Ranked> ranked(const std::vector<const bench::Sensor*>& all, const Demand& demand);

}  // namespace heron::study::switching
