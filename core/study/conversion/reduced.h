#pragma once
#include "study/conversion/assembly.h"
#include "study/conversion/figures.h"
#include "study/reduced.h"

namespace heron::study::conversion {

/// What a take of conversion came to: its points, and its records over time.
class ReducedConversion final : public Reduced {
 public:
  explicit ReducedConversion(Assembly assembly) : assembly_(std::move(assembly)), rows_(merged(assembly_.rows())) {}

  /// Duplicates averaged, in order.
  const Rows& rows() const { return rows_; }
  const std::vector<Evidence>& evidence() const { return assembly_.evidence(); }
  const std::vector<SteppedRecordPtr>& records() const { return assembly_.records(); }
  const Settings& settings() const { return assembly_.settings(); }

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  std::optional<Record> readings() const override;
  std::size_t bytes() const override;

 private:
  /// Records as other settings cut and average them; those of this take where nothing that matters to them changed.
  Result<std::vector<SteppedRecordPtr>> records_by(const Settings& settings) const;

  Assembly assembly_;
  Rows rows_;
};

/// Efficiency, output and loss over output current, a curve a line; of a record the output over time.
Columns curve_of(const Rows& rows, const std::vector<SteppedRecordPtr>& records, std::size_t most);

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::conversion
