#include "study/iv/settings.h"

#include "base/quantity.h"

namespace heron::study::iv {

Result<void> set(Settings& s, std::string_view key, std::string_view text) {
  const auto number = [&](auto& into, std::string_view unit, bool positive) -> Result<void> {
    const auto value = parse_value(text, unit);
    if (!value) return fail(Fault::usage, "{}: {}", key, value.error().message);
    if (positive && !(*value > 0)) return fail(Fault::usage, "{}: must be above zero.", key);
    into = *value;
    return {};
  };
  if (key == "axis") {
    if (text != "output" && text != "transfer")
      return fail(Fault::usage, "axis: output or transfer is wanted, not \"{}\".", text);
    s.axis = text == "transfer" ? Axis::transfer : Axis::output;
    return {};
  }
  if (key == "temperature") return number(s.temperature, "K", true);
  if (key == "threshold_current") return number(s.threshold_current, "A", true);
  if (key == "drain_voltage") return number(s.drain_voltage, "V", false);
  if (key == "loop_threshold") return number(s.loop_threshold, "1", true);
  if (key == "from") return number(s.from, "V", false);
  if (key == "to") return number(s.to, "V", false);
  return fail(Fault::usage,
              "There is no setting \"{}\"; there are axis, temperature, threshold_current, drain_voltage, "
              "loop_threshold, from and to.",
              key);
}

Result<Settings> settings_from_text(const std::map<std::string, std::string>& text) {
  Settings out;
  for (const auto& [key, value] : text)
    if (auto ok = set(out, key, value); !ok) return tl::unexpected(ok.error());
  if (out.from && out.to && !(*out.to > *out.from)) return fail(Fault::usage, "to: must lie above from.");
  return out;
}

std::map<std::string, std::string> as_text(const Settings& s) {
  std::map<std::string, std::string> out = {{"axis", s.axis == Axis::transfer ? "transfer" : "output"},
                                            {"temperature", fmt::format("{:.12g} K", s.temperature)},
                                            {"loop_threshold", fmt::format("{:.12g}", s.loop_threshold)}};
  const auto put = [&](const char* key, const std::optional<double>& value, const char* unit) {
    if (value) out[key] = fmt::format("{:.12g} {}", *value, unit);
  };
  put("threshold_current", s.threshold_current, "A");
  put("drain_voltage", s.drain_voltage, "V");
  put("from", s.from, "V");
  put("to", s.to, "V");
  return out;
}

}  // namespace heron::study::iv
