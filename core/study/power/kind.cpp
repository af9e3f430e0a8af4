#include "study/power/kind.h"

#include "study/power/figures.h"
#include "study/power/reduced.h"
#include "study/power/study_plan.h"
#include "study/settings_table.h"

namespace heron::study::power {

const Kind& kind() {
  static const Kind self = {.name = "power",
                            .title = "Power",
                            .roles = {{"time"}, {}},
                            .optional_roles = {},
                            .columns = {{"time", {"s"}, {"time", "t", "seconds", "sec"}},
                                        {"v", {"V"}}, {"i", {"A"}},
                                        {"va", {"V"}}, {"vb", {"V"}}, {"vc", {"V"}},
                                        {"vab", {"V"}}, {"vbc", {"V"}}, {"vca", {"V"}},
                                        {"ia", {"A"}}, {"ib", {"A"}}, {"ic", {"A"}}},
                            .quantities_by_name = true,
                            .curves = {{"harmonic.current", "A", "1"}, {"harmonic.voltage", "V", "1"}, {"current.half_cycle", "A", "s"}},
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

}  // namespace heron::study::power
