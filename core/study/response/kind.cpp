#include "study/response/kind.h"

#include "study/response/assembly.h"
#include "study/response/figures.h"
#include "study/response/reduced.h"
#include "study/response/study_plan.h"
#include "study/settings_table.h"

namespace heron::study::response {

Result<Settings> settings_from_text(const SettingsText& text) {
  Settings settings;
  for (const auto& [key, value] : text)
    if (auto ok = set(settings, key, value); !ok) return tl::unexpected(ok.error());
  return settings;
}

namespace {

std::vector<std::string> optional_roles() {
  std::vector<std::string> out = {"phase", "coherence", "u_real", "u_imag"};
  for (const char* quantity : {"gain", "phase"})
    for (auto& role : uncertainty_roles(quantity)) out.push_back(std::move(role));
  return out;
}

std::vector<ColumnRole> columns() {
  const std::vector<std::string_view> any_ratio = {"1", "ohm", "V", "A"};
  std::vector<ColumnRole> out = {
      {"frequency", {"Hz"}, {"frequency", "freq", "f"}},
      {"gain", {"dB", "1", "ohm"}, {"gain", "magnitude", "mag", "amplitude", "amp", "out/in", "level", "|h|", "|z|"}, true},
      {"phase", {"deg"}, {"phase", "angle", "ph", "arg", "theta"}},
      {"real", any_ratio, {"real", "re", "r"}},
      {"imag", any_ratio, {"imaginary", "imag", "im", "x"}},
      {"coherence", {"1"}, {"coherence", "coh", "gamma"}},
      {"time", {"s"}, {"time", "t"}},
      {"stimulus", {}, {"stimulus", "excitation", "drive", "input", "in"}},
      {"response", {}, {"response", "output", "out"}},
      {"u_real", any_ratio},
      {"u_imag", any_ratio}};
  for (auto& role : uncertainty_columns("gain", {"dB"})) out.push_back(std::move(role));
  for (auto& role : uncertainty_columns("phase", {"deg"})) out.push_back(std::move(role));
  return out;
}

}  // namespace

const Kind& kind() {
  static const Kind self = {
      .name = "response",
      .title = "Frequency response",
      .roles = {{"frequency", "gain"}, {"frequency", "real", "imag"}, {"time", "stimulus", "response"}},
      .optional_roles = optional_roles(),
      .columns = columns(),
      .curves = {{"gain", "dB", "Hz"}, {"phase", "deg", "Hz"}, {"coherence", "1", "Hz"}},
      .restarts_on = "frequency",
      .check_setting = check_setting<Settings>,
      .check_figure = check_figure_key,
      .figures = figure_names,
      .plan = planned,
      .first_plan = first_plan,
      .reducer = reducer,
      .stand_ins = {"open", "short", "load"},
      .stand_in_ohms = [](const SettingsText& text) {
        return settings_from_text(text).value_or(Settings{}).load_resistance;
      }};
  return self;
}

}  // namespace heron::study::response
