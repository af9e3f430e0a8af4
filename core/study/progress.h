#pragma once

namespace heron::study {

/// What a runner tells between points.
struct Progress {
  int done = 0, total = 0;
  double bench_seconds_left = 0;  ///< of a real bench
};

}  // namespace heron::study
