#include "study/iv/kind.h"

#include "study/iv/figures.h"
#include "study/iv/reduce.h"
#include "study/iv/reduced.h"
#include "study/iv/study_plan.h"
#include "study/settings_table.h"
#include "study/shared_error.h"

namespace heron::study::iv {

namespace {

std::vector<std::string> optional_roles() {
  std::vector<std::string> out = {"step", "held", "time", "programmed"};
  for (const char* quantity : {"voltage", "current"})
    for (auto& role : uncertainty_roles(quantity)) out.push_back(std::move(role));
  return out;
}

std::vector<ColumnRole> columns() {
  std::vector<ColumnRole> out = {
      {"voltage", {"V"}, {"voltage", "volt", "bias", "vce", "vds", "vgs", "vd", "vg", "v", "u"}},
      {"current", {"A"}, {"current", "amps", "ice", "ids", "ic", "id", "if", "ig", "i"}},
      {"step", {}, {"step"}},
      {.name = "held", .units = {"1"}, .written_by_export = true},
      {"time", {"s"}},
      {.name = "programmed", .written_by_export = true}};
  for (auto& role : uncertainty_columns("voltage", {"V"})) out.push_back(std::move(role));
  for (auto& role : uncertainty_columns("current", {"A"})) out.push_back(std::move(role));
  return out;
}

}  // namespace

const Kind& kind() {
  static const Kind self = {.name = "iv",
                            .title = "Current against voltage",
                            .roles = {{"voltage", "current"}},
                            .optional_roles = optional_roles(),
                            .columns = columns(),
                            .curves = {{"current", "A", "V"}},
                            .restarts_on = "voltage",
                            .check_setting = check_setting<Settings>,
                            .check_figure = check_figure_key,
                            .figures = figure_names,
                            .plan = planned,
                            .first_plan = first_plan,
                            .reducer = reducer,
                            .stand_ins = {std::string(kDeviceOut)}};
  return self;
}

}  // namespace heron::study::iv
