#include "study/spectrum/kind.h"

#include "study/spectrum/figures.h"
#include "study/spectrum/reduced.h"
#include "study/spectrum/study_plan.h"

namespace heron::study::spectrum {

const Kind& kind() {
  static const Kind self = {.name = "spectrum",
                            .title = "Spectrum and distortion",
                            .roles = {{"time"}, {}},
                            .optional_roles = {},
                            .columns = {{"time", {"s"}, {"time", "t", "seconds", "sec"}}, {"v", {"V"}}, {"i", {"A"}}},
                            .quantities_by_name = true,
                            .check_setting =
                                [](std::string_view key, std::string_view text) {
                                  Settings scratch;
                                  return set(scratch, key, text);
                                },
                            .check_figure = check_figure_key,
                            .figures = figure_names,
                            .plan = planned,
                            .first_plan = first_plan,
                            .reducer = reducer,
                            .unit = figure_unit};
  return self;
}

}  // namespace heron::study::spectrum
