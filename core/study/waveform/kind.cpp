#include "study/waveform/kind.h"

#include "study/settings_table.h"
#include "study/waveform/figures.h"
#include "study/waveform/reduced.h"
#include "study/waveform/study_plan.h"

namespace heron::study::waveform {

const Kind& kind() {
  static const Kind self = {.name = "waveform",
                            .title = "Waveform",
                            .roles = {{"time"}, {}},
                            .optional_roles = {},
                            .columns = {{"time", {"s"}, {"time", "t", "seconds", "sec"}}, {"v", {"V"}}, {"i", {"A"}}},
                            .quantities_by_name = true,
                            .masks_over_time = true,
                            .times_said = {"start", "step"},
                            .check_setting = check_setting<Settings>,
                            .check_figure = check_figure_key,
                            .figures = figure_names,
                            .plan = planned,
                            .first_plan = first_plan,
                            .reducer = reducer,
                            .unit = figure_unit};
  return self;
}

}  // namespace heron::study::waveform
