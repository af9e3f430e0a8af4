#pragma once
#include <memory>

#include "study/last_read.h"
#include "study/reduced.h"
#include "study/repeated.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/sweep.h"

namespace heron::study::spectrum {

/// Records that make one spectrum together.
struct Averaged {
  int index = 0;                 ///< of the point
  std::optional<double> at = {};  ///< of a sweep
  std::vector<WaveformsPtr> records;  ///< each all quantities over one time
};

/// What is summed of a point that is still being read, so that each record more costs no more than itself. Shared by what the
/// point came to one moment after another.
class Growing;

/// What a take of spectra came to: the records of every point, and the spectra that were read of them last.
class ReducedSpectra final : public Reduced, public SweepSource {
 public:
  /// @param points  more than one only of a sweep, then rising in `at`
  /// @param own  what the inputs read by themselves
  ReducedSpectra(std::vector<Averaged> points, Axis axis, Settings settings, std::vector<OwnNoise> own = {}, std::shared_ptr<Growing> growing = {})
      : points_(std::move(points)), axis_(std::move(axis)), settings_(std::move(settings)), own_(std::move(own)), growing_(std::move(growing)) {}

  const std::vector<Averaged>& points() const { return points_; }
  const Axis& axis() const override { return axis_; }
  bool sweeps() const { return points_.front().at.has_value(); }
  /// Of every point. With other settings than last time they are worked out anew.
  using Spectra = std::vector<std::shared_ptr<const PointSpectra>>;
  Result<Spectra> spectra(const Settings& settings) const;
  /// Each record read by itself, where several make one spectrum.
  Result<std::vector<Repeated>> over_records(const SettingsText& settings, const std::vector<std::string>& asked) const;
  Result<std::vector<SweepCurve>> over_sweep(const Settings& settings) const override;

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  /// Of codes: how often each came and how wide it is.
  std::vector<std::pair<std::string, Record>> tables() const override;
  std::size_t bytes() const override;

 private:
  std::vector<Averaged> points_;
  Axis axis_;
  Settings settings_;
  std::vector<OwnNoise> own_;
  std::shared_ptr<Growing> growing_;
  LastRead<Spectra> last_;
};

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::spectrum
