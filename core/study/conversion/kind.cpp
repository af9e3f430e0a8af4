#include "study/conversion/kind.h"

#include "study/conversion/figures.h"
#include "study/conversion/reduced.h"
#include "study/conversion/study_plan.h"
#include "study/settings_table.h"
#include "study/shared_error.h"

namespace heron::study::conversion {
namespace {

std::vector<std::string> optional_roles() {
  std::vector<std::string> out = {"line", "load", "frequency", "temperature", "iin", "iout"};
  for (const auto port : kAllPorts)
    for (auto& role : uncertainty_roles(port_name(port))) out.push_back(std::move(role));
  return out;
}

std::vector<ColumnRole> columns() {
  std::vector<ColumnRole> out = {{"time", {"s"}, {"time", "t", "seconds", "sec"}},
                                 {"vin", {"V"}, {"vin", "v_in", "input voltage", "vi"}},
                                 {"iin", {"A"}, {"iin", "i_in", "input current", "ii"}},
                                 {"vout", {"V"}, {"vout", "v_out", "output voltage", "vo"}},
                                 {"iout", {"A"}, {"iout", "i_out", "output current", "io", "load current"}},
                                 {"line", {"V"}, {"line", "set voltage"}},
                                 {"load", {"A"}, {"load", "set current"}},
                                 {"frequency", {"Hz"}, {"frequency", "switching frequency", "fsw"}},
                                 {"temperature", {"degC"}, {"temperature", "temp"}}};
  for (const auto port : kAllPorts)
    for (auto& role : uncertainty_columns(port_name(port), {port_unit(port)})) out.push_back(std::move(role));
  return out;
}

}  // namespace

const Kind& kind() {
  static const Kind self = {.name = "conversion",
                            .title = "Conversion",
                            .roles = {{"vin", "iin", "vout", "iout"}, {"time", "vin", "vout"}, {"time", "vout"}},
                            .optional_roles = optional_roles(),
                            .columns = columns(),
                            .curves = {{"efficiency", "1", "A"}, {"output", "V", "A"}, {"loss", "W", "A"}, {"output", "V", "s"}},
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

}  // namespace heron::study::conversion
