#pragma once
#include <memory>
#include <string>

namespace heron::study {

/// What a study's circuit or formula should show. Each kind has its own; only its own lenses know what is in it.
struct Expected {
  virtual ~Expected() = default;
  std::string source = {};  ///< "the circuit", or the formula
};
using ExpectedPtr = std::shared_ptr<const Expected>;

}  // namespace heron::study
