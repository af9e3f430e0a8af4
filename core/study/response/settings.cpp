#include "study/response/settings.h"

#include "base/quantity.h"

namespace heron::study::response {

Result<void> set(Settings& s, std::string_view key, std::string_view text) {
  const auto number = [&](std::string_view unit, bool positive) -> Result<double> {
    const auto value = parse_value(text, unit);
    if (!value) return fail(Fault::usage, "{}: {}", key, value.error().message);
    if (positive && !(*value > 0)) return fail(Fault::usage, "{}: must be above zero.", key);
    return *value;
  };
  const auto put = [&](auto& into, std::string_view unit) -> Result<void> {
    const auto value = number(unit, true);
    if (!value) return tl::unexpected(value.error());
    into = *value;
    return {};
  };
  if (key == "drop") return put(s.drop_db, "dB");
  if (key == "from") return put(s.from, "Hz");
  if (key == "to") return put(s.to, "Hz");
  if (key == "u_limit") {
    const auto value = parse_quantity(text, "");
    if (value && value->unit == "dB") return put(s.u_limit_db, "dB");
    if (value && value->unit == "deg") return put(s.u_limit_deg, "deg");
    const auto percent = number("%", true);
    if (!percent) return tl::unexpected(percent.error());
    s.u_limit_relative = *percent / 100;
    return {};
  }
  if (key == "reference") {
    if (text == "auto" || text == "first" || text == "last" || text == "max") {
      s.reference = text;
      s.reference_frequency.reset();
      return {};
    }
    const auto value = number("Hz", true);
    if (!value)
      return fail(Fault::usage, "reference: auto, first, last, max or a frequency is wanted, not \"{}\".", text);
    s.reference = text;
    s.reference_frequency = *value;
    return {};
  }
  return fail(Fault::usage, "A response has no setting \"{}\"; there are drop, reference, from, to, u_limit.", key);
}

std::map<std::string, std::string> as_text(const Settings& s) {
  std::map<std::string, std::string> out = {{"drop", fmt::format("{:.6g} dB", s.drop_db)}};
  if (s.reference != "auto") out["reference"] = s.reference;
  if (s.from) out["from"] = fmt::format("{} Hz", *s.from);
  if (s.to) out["to"] = fmt::format("{} Hz", *s.to);
  return out;
}

}  // namespace heron::study::response
