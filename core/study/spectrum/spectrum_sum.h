#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "study/spectrum/segments.h"
#include "study/spectrum/spectrum.h"
#include "study/spectrum/strong_tones.h"

namespace heron::study::spectrum {

/// Records that become one spectrum, one after another: each is transformed once, and what they come to so far can be told after
/// every one.
class SpectrumSum {
 public:
  /// @param first      the records have its quantity and rate
  /// @param samples    that the shortest of them has
  /// @param own_links  what the sensor does to each line, beside the links that the settings tell of
  /// @return Fault::input where times are not even or records are too short
  static Result<SpectrumSum> begin(const Trace& first, std::size_t samples, const Settings& settings, const std::vector<Link>& own_links);

  /// Fault::input for a record of another rate, or one that cannot be read.
  Result<void> add(const Trace& record);

  /// After at least one record.
  Spectrum spectrum() const;

 private:
  /// What is decided once there are records to look at, and what has been summed since.
  struct Sums {
    Spectrum s;  ///< its power is a sum over all so far
    StrongTones strong;
    std::size_t top = 0;   ///< where the fundamental stands
    signal::RecordLines::Largest plain = {};  ///< of the first
    std::size_t count = 0;

    bool silent() const { return !(plain.power > 0); }
    void add(const signal::RecordLines& one);
  };

  SpectrumSum() = default;
  Result<void> add_mean(const Trace& record);
  Sums decided() const;
  Spectrum finished(Sums sums, const signal::RecordLines& first, double averages) const;

  Settings settings_;
  std::vector<Link> links_;
  Spectrum blank_;
  Segments cut_;
  std::vector<int> segments_;  ///< of each record
  /// The first few, which tell where the fundamental is; of more than that only the first of all, and the sums.
  std::vector<signal::RecordLines> kept_;
  std::optional<Sums> sums_;
  std::vector<double> total_;  ///< of records that are averaged as they are
};

}  // namespace heron::study::spectrum
