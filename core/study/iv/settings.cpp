#include "study/iv/settings.h"

#include <cmath>

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
  // Percents need no sign: 2 is 2 %.
  const auto percent = [&](double& into) -> Result<void> {
    double value = 0;
    if (auto ok = number(value, "%", true); !ok) return ok;
    into = value / 100;
    return {};
  };
  if (key == "axis") {
    if (text != "output" && text != "transfer")
      return fail(Fault::usage, "axis: output or transfer is wanted, not \"{}\".", text);
    s.axis = text == "transfer" ? Axis::transfer : Axis::output;
    return {};
  }
  if (key == "temperature") {
    if (const auto celsius = parse_quantity(text, ""); celsius && celsius->unit == "degC" && celsius->value > -273.15) {
      s.temperature = celsius->value + 273.15;
      return {};
    }
    return number(s.temperature, "K", true);
  }
  if (key == "threshold_current") return number(s.threshold_current, "A", true);
  if (key == "drain_voltage") return number(s.drain_voltage, "V", false);
  if (key == "loop_threshold" || key == "u_limit") return percent(key == "u_limit" ? s.u_limit : s.loop_threshold);
  if (key == "open") {
    if (text == "none") {
      s.open.reset();
      return {};
    }
    const auto take = parse_value(text, "1");
    if (!take || *take < 1 || *take > 1e6 || *take != std::round(*take))
      return fail(Fault::usage, "open: the number of a take with the device out, or none.");
    s.open = int(*take);
    return {};
  }
  if (key == "from") return number(s.from, "V", false);
  if (key == "to") return number(s.to, "V", false);
  return fail(Fault::usage,
              "There is no setting \"{}\"; there are axis, temperature, threshold_current, drain_voltage, "
              "loop_threshold, u_limit, open, from and to.",
              key);
}

Result<Settings> settings_from_text(const std::map<std::string, std::string>& text) {
  Settings out;
  for (const auto& [key, value] : text)
    if (auto ok = set(out, key, value); !ok) return tl::unexpected(ok.error());
  return out;
}

std::map<std::string, std::string> as_text(const Settings& s) {
  std::map<std::string, std::string> out = {{"axis", s.axis == Axis::transfer ? "transfer" : "output"},
                                            {"loop_threshold", fmt::format("{:.12g} %", 100 * s.loop_threshold)},
                                            {"u_limit", fmt::format("{:.12g} %", 100 * s.u_limit)}};
  const auto put = [&](const char* key, const std::optional<double>& value, const char* unit) {
    if (value) out[key] = fmt::format("{:.12g} {}", *value, unit);
  };
  if (s.open) out["open"] = std::to_string(*s.open);
  put("temperature", s.temperature, "K");
  put("threshold_current", s.threshold_current, "A");
  put("drain_voltage", s.drain_voltage, "V");
  put("from", s.from, "V");
  put("to", s.to, "V");
  return out;
}

}  // namespace heron::study::iv
