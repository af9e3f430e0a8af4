#pragma once
#include "study/reduced.h"
#include "study/spectrum/sweep.h"

/// Sweeps that come as a table of figures: a column `level` or `frequency`, beside it `level.out` and figures by their keys.
namespace heron::study::spectrum {

struct SweptTable {
  std::vector<Swept> points;  ///< rising
  Axis axis;
};

/// The point as such a table; nothing where it is none.
/// @return Fault::input where a level is not above zero or comes twice
Result<std::optional<SweptTable>> table_of(const Point& point);

/// The columns that such a table may have besides, with their units.
struct SweptColumn {
  std::string name, unit;
};
const std::vector<SweptColumn>& swept_columns();
/// What a table of a sweep came to.
class ReducedTable final : public Reduced, public SweepSource {
 public:
  ReducedTable(SweptTable table, Settings settings) : table_(std::move(table)), settings_(std::move(settings)) {}
  const Axis& axis() const override { return table_.axis; }
  Result<std::vector<SweepCurve>> over_sweep(const Settings& settings) const override { return sweep_curves(table_.points, table_.axis, settings); }
  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override { return true; }
  Columns small() const override { return sweep_columns(table_.points, table_.axis, settings_); }
  std::size_t bytes() const override;

 private:
  SweptTable table_;
  Settings settings_;
};

}  // namespace heron::study::spectrum
