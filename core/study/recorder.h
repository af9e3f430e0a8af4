#pragma once
#include "base/result.h"
#include "bench/bench.h"

namespace heron::study {

/// Stores a record that is too long for memory while it comes. What was added stays, whatever happens.
class Recorder {
 public:
  virtual ~Recorder() = default;
  Recorder() = default;
  Recorder(const Recorder&) = delete;
  Recorder& operator=(const Recorder&) = delete;

  /// The counts of every channel from where the last stretch ended.
  virtual Result<void> add(const bench::Capture& stretch) = 0;
  /// All of it is there.
  virtual Result<void> done() = 0;
};

}  // namespace heron::study
