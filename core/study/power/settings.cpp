#include "study/power/settings.h"

#include <algorithm>
#include <cmath>

#include "base/words.h"
#include "study/pairs_setting.h"
#include "study/power/wiring.h"
#include "study/watch_setting.h"
#include "study/wires.h"

namespace heron::study::power {
namespace {

constexpr std::pair<Method, std::string_view> kMethodNames[] = {
    {Method::cycles, "cycles"}, {Method::switch_on, "switch_on"}, {Method::profile, "profile"}, {Method::recording, "recording"}};

/// "19 Ah" or "800 mAh", or in coulombs.
Setting<Settings> battery() {
  return {"battery",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            if (text == "none") {
              s.battery.reset();
              return {};
            }
            const auto typed = trimmed(text);
            const auto hours = typed.ends_with('h') ? parse_value(std::string_view(typed).substr(0, typed.size() - 1), "A") : Result<double>(fail(Fault::usage, ""));
            const auto charge = hours ? Result<double>(3600 * *hours) : parse_value(typed, "C");
            if (!charge || !(*charge > 0) || !std::isfinite(*charge)) return fail(Fault::usage, "{}: a charge above zero is wanted, such as 19 Ah.", key);
            s.battery = *charge;
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            if (s.battery) out["battery"] = number_text(*s.battery / 3600, "Ah");
          }};
}

Setting<Settings> states() {
  return {"states",
          [](Settings& s, std::string_view, std::string_view text) -> Result<void> {
            s.states = text == "none" ? std::vector<std::string>() : pieces(text);
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            std::string all;
            for (const auto& name : s.states) all += (all.empty() ? "" : ", ") + name;
            if (!all.empty()) out["states"] = all;
          }};
}

/// A quantity by its name.
Setting<Settings> cycles_by() {
  return {"cycles_by",
          [](Settings& s, std::string_view, std::string_view text) -> Result<void> {
            s.cycles_by = text == "none" ? std::string() : std::string(trimmed(text));
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            if (!s.cycles_by.empty()) out["cycles_by"] = s.cycles_by;
          }};
}

Setting<Settings> sequence() {
  return {"sequence",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            if (text == "none") s.sequence.reset();
            else if (text == "abc") s.sequence = Sequence::abc;
            else if (text == "acb") s.sequence = Sequence::acb;
            else return fail(Fault::usage, "{}: abc, acb or none is wanted, not \"{}\".", key, text);
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            if (s.sequence) out["sequence"] = *s.sequence == Sequence::abc ? "abc" : "acb";
          }};
}

Setting<Settings> method() {
  return {"method",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            if (text == "none") {
              s.method.reset();
              return {};
            }
            const auto found = method_of(text);
            if (!found) return fail(Fault::usage, "{}: cycles, switch_on, profile or recording is wanted, not \"{}\".", key, text);
            s.method = *found;
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            if (s.method) out["method"] = method_text(*s.method);
          }};
}

const SettingsTable<Settings>& table() {
  static const SettingsTable<Settings> all({
      method(),
      wires_setting(&Settings::wires, is_role, all_roles),
      word_setting<Settings, LimitClass>("class", &Settings::limits,
                                         {{LimitClass::none, "none"}, {LimitClass::a, "A"}, {LimitClass::b, "B"}, {LimitClass::c, "C"}, {LimitClass::d, "D"}}),
      sequence(),
      word_setting<Settings, bool>("regenerating", &Settings::regenerating, {{false, "off"}, {true, "on"}}),
      percent_setting("settle_band", &Settings::settle_band, 0, 100),
      number_setting("window", &Settings::window, "s", Bound::positive),
      percent_setting("state_time", &Settings::state_time, 0, 50),
      number_setting("glitch", &Settings::glitch, "s", Bound::not_negative),
      battery(),
      states(),
      pairs_setting("fuse", &Settings::fuse, {"s", "A", "a time and the current that it bears so long", "times", "100 ms 30 A"}),
      number_setting("nominal_voltage", &Settings::nominal_voltage, "V", Bound::positive),
      number_setting("nominal_current", &Settings::nominal_current, "A", Bound::positive),
      number_setting("from", &Settings::from, "s"),
      number_setting("to", &Settings::to, "s"),
      number_setting("start", &Settings::start, "s"),
      number_setting("step", &Settings::step, "s", Bound::positive),
      number_setting("sample_rate", &Settings::sample_rate, "Hz", Bound::positive),
      percent_setting("u_limit", &Settings::u_limit),
      cycles_by(),
      watch_setting(&Settings::watches),
  });
  return all;
}

}  // namespace

std::optional<Method> method_of(std::string_view text) {
  for (const auto& [method, word] : kMethodNames)
    if (word == text) return method;
  return std::nullopt;
}

std::string method_text(Method method) {
  for (const auto& [one, word] : kMethodNames)
    if (one == method) return std::string(word);
  return {};
}

Result<void> set(Settings& settings, std::string_view key, std::string_view text) { return table().set(settings, key, text); }

Result<Settings> settings_from_text(const SettingsText& text) {
  auto out = table().read(text);
  if (out && out->from && out->to && !(*out->from < *out->to)) return fail(Fault::input, "from: what is analysed ends before it begins.");
  if (out && out->step && out->sample_rate) return fail(Fault::usage, "step: say either the step or the sample_rate.");
  return out;
}

SettingsText as_text(const Settings& settings) { return table().text(settings); }

Result<WaveformsPtr> waveforms_of(const Point& point, const Settings& s, std::size_t record) {
  const auto step = s.step ? s.step : s.sample_rate ? std::optional(1 / *s.sample_rate) : std::nullopt;
  return study::waveforms_of(point, {s.start, step, {}}, "say how fast it was sampled, such as sample_rate=50kHz.", record);
}

}  // namespace heron::study::power
