#include "study/spectrum/kind.h"

#include "study/settings_table.h"
#include "study/spectrum/figures.h"
#include "study/spectrum/reduced.h"
#include "study/spectrum/settings.h"
#include "study/spectrum/study_plan.h"
#include "study/spectrum/swept_table.h"

namespace heron::study::spectrum {

namespace {

/// Columns beside a record's times and quantities: what drives, and those of a sweep's table.
std::vector<ColumnRole> optional_columns() {
  std::vector<ColumnRole> out = {{"stimulus", {"V"}, {"stimulus"}}};
  for (const auto& axis : swept_axes()) out.push_back({axis.name, {axis.unit}, {axis.name}});
  for (const auto& column : swept_columns()) {
    ColumnRole role{column.name, {column.unit}, {column.name}};
    // People write plain decibels.
    if (column.unit.starts_with("dB") && column.unit != "dB") role.units.push_back("dB");
    out.push_back(std::move(role));
  }
  return out;
}

std::vector<ColumnRole> columns() {
  std::vector<ColumnRole> out = {{"time", {"s"}, {"time", "t", "seconds", "sec"}}, {"v", {"V"}}, {"i", {"A"}}};
  for (auto& role : optional_columns()) out.push_back(std::move(role));
  return out;
}

std::vector<std::string> optional_roles() {
  std::vector<std::string> out;
  for (const auto& role : optional_columns()) out.push_back(role.name);
  return out;
}

}  // namespace

const Kind& kind() {
  static const Kind self = {.name = "spectrum",
                            .title = "Spectrum and distortion",
                            .roles = {{"time"}, {}},
                            .optional_roles = optional_roles(),
                            .columns = columns(),
                            .quantities_by_name = true,
                            .curves = {{"spectrum", "", "Hz"}},
                            .times_said = {"sample_rate"},
                            .network_setting = kLinkSettings,
                            .check_setting = check_setting<Settings>,
                            .check_figure = check_figure_key,
                            .figures = figure_names,
                            .plan = planned,
                            .first_plan = first_plan,
                            .reducer = reducer,
                            .stand_ins = {std::string(kShorted)},
                            .unit = figure_unit};
  return self;
}

}  // namespace heron::study::spectrum
