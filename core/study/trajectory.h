#pragma once
#include <vector>

#include "study/trace.h"

namespace heron::study {

/// One quantity against another, in the order of time.
struct Trajectory {
  std::vector<double> time, x, y;
  bool thinned = false;  ///< extremes of stretches stand for the samples between
};

/// Two traces of one record against each other, at the times of x that both have; y is interpolated where its own lie between. Where there are more samples than `most`, each stretch is stood for by
/// its lowest and highest of both: no excursion is lost.
/// @param from, to  s, the part that is looked at
/// @param most      samples, at least 8
/// @return Fault::input where the traces are not of one record or cannot be read
Result<Trajectory> trajectory_of(const Trace& x, const Trace& y, double from, double to, std::size_t most);

}  // namespace heron::study
