#pragma once

namespace heron::study {

/// What becomes of a take when it is done.
enum class Repeat {
  once,
  every,  ///< again until stopped, each pass a take
  last,   ///< again until stopped, each pass in place of the one before
};

}  // namespace heron::study
