#pragma once
#include <string>

namespace heron::study {

/// What a runner tells between points.
struct Progress {
  int done = 0, total = 0;
  double bench_seconds_left = 0;  ///< of a real bench
  double share = 0;               ///< of the point that is being read
  std::string waits = {};         ///< what it waits for and sees meanwhile; empty: for nothing
};

}  // namespace heron::study
