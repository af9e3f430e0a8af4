#include "study/switching/kind.h"

#include "study/settings_table.h"
#include "study/switching/figures.h"
#include "study/switching/reduced.h"
#include "study/switching/study_plan.h"

namespace heron::study::switching {

const Kind& kind() {
  static const Kind self = {.name = "switching",
                            .title = "Switching",
                            .roles = {{"time", "v_ds", "i_d"}, {"time"}, {}},
                            .optional_roles = {"v_gs", "v_f", "i_f"},
                            .columns = {{"time", {"s"}, {"time", "t", "seconds", "sec"}},
                                        {"v_ds", {"V"}, {"v_ds", "vds", "v_ce", "vce"}},
                                        {"i_d", {"A"}, {"i_d", "id", "i_c", "ic"}},
                                        {"v_gs", {"V"}, {"v_gs", "vgs", "v_ge", "vge"}},
                                        {"v_f", {"V"}, {"v_f", "vf"}},
                                        {"i_f", {"A"}, {"i_f", "if"}}},
                            .quantities_by_name = true,
                            .files_are_points = true,
                            .curves = {{"energy.on", "J", "A"}, {"energy.off", "J", "A"}, {"energy.recovery", "J", "A"}, {"energy.total", "J", "A"}},
                            .masks_over_time = true,
                            .times_said = {"start", "step", "sample_rate"},
                            .check_setting = check_setting<Settings>,
                            .check_figure = check_figure_key,
                            .figures = figure_names,
                            .plan = planned,
                            .first_plan = first_plan,
                            .reducer = reducer,
                            .unit = figure_unit};
  return self;
}

}  // namespace heron::study::switching
