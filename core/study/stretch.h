#pragma once
#include <cstddef>

namespace heron::study {

/// A stretch of a trace that is read: [first, last).
struct Stretch {
  std::size_t first = 0, last = 0;
  std::size_t size() const { return last - first; }
};

}  // namespace heron::study
