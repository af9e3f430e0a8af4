#pragma once
#include <mutex>

#include "study/reduced.h"
#include "study/spectrum/figures.h"

namespace heron::study::spectrum {

/// What a take of spectra came to: the records, and the spectra that were read of them last.
class ReducedSpectra final : public Reduced {
 public:
  /// @param records  each all quantities over one time; averages of one spectrum
  ReducedSpectra(std::vector<WaveformsPtr> records, Settings settings) : records_(std::move(records)), settings_(std::move(settings)) {}

  const std::vector<WaveformsPtr>& records() const { return records_; }
  /// With other settings than last time they are worked out anew.
  Result<std::shared_ptr<const PointSpectra>> spectra(const Settings& settings) const;

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  std::size_t bytes() const override;

 private:
  std::vector<WaveformsPtr> records_;
  Settings settings_;
  mutable std::mutex mutex_;
  mutable SettingsText last_settings_;
  mutable std::shared_ptr<const PointSpectra> last_;
};

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::spectrum
