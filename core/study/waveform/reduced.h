#pragma once
#include "study/reduced.h"
#include "study/repeated.h"
#include "study/waveform/settings.h"
#include "study/waveforms.h"

namespace heron::study::waveform {

/// What a take of waveforms came to: every pass of it, its samples where they lie.
class ReducedWaveforms final : public Reduced {
 public:
  explicit ReducedWaveforms(std::vector<WaveformsPtr> passes) : passes_(std::move(passes)) {}

  const std::vector<WaveformsPtr>& passes() const { return passes_; }

  /// Every figure over the passes.
  Result<std::vector<Repeated>> over_passes(const SettingsText& settings, const std::vector<std::string>& asked) const;

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  std::size_t bytes() const override;

 private:
  /// What figures are read off: every pass, or all of them as one.
  Result<std::vector<WaveformsPtr>> read_off(const Settings& settings) const;

  std::vector<WaveformsPtr> passes_;
};

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::waveform
