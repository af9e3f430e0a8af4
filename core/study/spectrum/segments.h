#pragma once
#include <optional>
#include <vector>

#include "signal/record_lines.h"
#include "study/spectrum/settings.h"
#include "study/trace.h"

namespace heron::study::spectrum {

/// How records are cut into stretches that are transformed each.
struct Segments {
  std::size_t length = 0, step = 0;  ///< samples
};
/// Fault::input where the records are too short.
Result<Segments> segments_of(std::size_t samples, const Settings& settings);

/// One segment after another of all records, or their mean.
class Transforms {
 public:
  Transforms(const std::vector<TracePtr>& records, const Segments& cut, bool mean) : records_(records), cut_(cut), mean_(mean), values_(cut.length) {}

  /// Nothing after the last.
  Result<std::optional<signal::RecordLines>> next();

  /// What they are worth: segments that overlap tell less than as many of their own.
  double independent(signal::Window window) const;

 private:
  const std::vector<TracePtr>& records_;
  Segments cut_;
  bool mean_;
  std::vector<double> values_;
  std::size_t record_ = 0, at_ = 0;
};

}  // namespace heron::study::spectrum
