#pragma once
#include "study/last_read.h"
#include "study/reduced.h"
#include "study/repeated.h"
#include "study/switching/sweep.h"

namespace heron::study::switching {

/// Keys of what was set for a shot, in its point.
inline constexpr const char *kBus = "bus", *kCurrent = "current", *kResistor = "gate_resistor", *kTemperature = "temperature";

/// A record with what was set for it.
struct Taken {
  WaveformsPtr record;
  ShotSetting setting;
};

/// What a take of shots came to.
class ReducedSwitching final : public Reduced {
 public:
  ReducedSwitching(std::vector<Taken> shots, Settings settings) : shots_(std::move(shots)), settings_(std::move(settings)) {}

  const std::vector<Taken>& records() const { return shots_; }
  /// Every shot as it is read; with other settings than last time anew.
  Result<std::vector<ReadShotPtr>> read_shots(const Settings& settings) const;
  /// Every figure over the shots.
  Result<std::vector<Repeated>> over_shots(const SettingsText& settings) const;

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  std::vector<std::pair<std::string, Record>> tables() const override;
  std::size_t bytes() const override;

 private:
  std::vector<Taken> shots_;
  Settings settings_;
  LastRead<std::vector<ReadShotPtr>> last_;
};

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::switching
