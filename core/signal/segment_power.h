#pragma once
#include <memory>
#include <span>

#include "signal/window.h"

namespace heron::signal {

/// Powers of the lines of stretches of one length, each windowed and transformed once: as fast as its transforms allow.
class SegmentPower {
 public:
  /// @param samples  of a stretch, even
  SegmentPower(Window window, std::size_t samples);
  ~SegmentPower();
  SegmentPower(SegmentPower&&) noexcept;

  std::size_t lines() const;
  /// Where a stretch is put before it is added.
  std::span<double> room();
  /// Adds to each line the mean square of the tone that would make it, the stretch's own mean left out. What is in the room is
  /// gone then.
  /// @param into  one a line
  void add(std::span<double> into);

 private:
  struct Work;
  std::unique_ptr<Work> work_;
};

}  // namespace heron::signal
