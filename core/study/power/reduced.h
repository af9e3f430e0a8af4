#pragma once
#include "study/last_read.h"
#include "study/power/figures.h"
#include "study/power/trend.h"
#include "study/reduced.h"
#include "study/repeated.h"

namespace heron::study::power {

/// What a take of power came to: its records, and of a recording its readings.
class ReducedPower final : public Reduced {
 public:
  /// @param records  each with the index of its point; none of a recording that kept none
  ReducedPower(std::vector<WaveformsPtr> records, Trend trend, Method method, Settings settings)
      : records_(std::move(records)), trend_(std::move(trend)), method_(method), settings_(std::move(settings)) {}

  const std::vector<WaveformsPtr>& records() const { return records_; }
  const Trend& trend() const { return trend_; }
  Method method(const Settings& settings) const { return settings.method.value_or(method_); }
  /// Every record as it is read; with other settings than last time anew.
  Result<std::vector<PowerRecordPtr>> read_records(const Settings& settings) const;
  /// Every figure over the records.
  Result<std::vector<Repeated>> over_records(const SettingsText& settings, const std::vector<std::string>& asked) const;

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  std::vector<std::pair<std::string, Record>> tables() const override;
  std::size_t bytes() const override;

 private:
  Columns curve(const std::vector<PowerRecordPtr>& records, const Settings& settings, std::size_t most) const;

  std::vector<WaveformsPtr> records_;
  Trend trend_;
  Method method_;
  Settings settings_;
  LastRead<std::vector<PowerRecordPtr>> last_;
};

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::power
