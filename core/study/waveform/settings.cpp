#include "study/waveform/settings.h"

#include <algorithm>

#include "study/settings_table.h"
#include "study/watch_setting.h"

namespace heron::study::waveform {
namespace {

constexpr std::string_view kExpected = "expected.";

/// What a quantity should do; the formula is read where it is drawn.
Setting<Settings> expected() {
  return {std::string(kExpected),
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            const std::string name(key.substr(kExpected.size()));
            std::erase_if(s.expected, [&](const auto& one) { return one.first == name; });
            if (text != "none") s.expected.emplace_back(name, text);
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            for (const auto& [name, formula] : s.expected) out[std::string(kExpected) + name] = formula;
          }};
}

const SettingsTable<Settings>& table() {
  static const SettingsTable<Settings> all({
      percent_setting("lower", &Settings::lower, 0, 100),
      percent_setting("upper", &Settings::upper, 0, 100),
      percent_setting("settle_band", &Settings::settle_band, 0, 50),
      word_setting<Settings, PercentOf>("of", &Settings::of, {{PercentOf::states, "states"}, {PercentOf::start, "start"}}),
      number_setting("resistance", &Settings::resistance, "ohm", Bound::positive),
      number_setting("from", &Settings::from, "s"),
      number_setting("to", &Settings::to, "s"),
      number_setting("start", &Settings::start, "s"),
      number_setting("step", &Settings::step, "s", Bound::positive),
      number_setting("bandwidth", &Settings::bandwidth, "Hz", Bound::positive),
      percent_setting("u_limit", &Settings::u_limit),
      word_setting<Settings, bool>("average", &Settings::average, {{false, "off"}, {true, "on"}}),
      watch_setting(&Settings::watches),
      expected(),
  });
  return all;
}

}  // namespace

Result<void> set(Settings& settings, std::string_view key, std::string_view text) {
  return table().set(settings, key, text);
}

Result<Settings> settings_from_text(const SettingsText& text) {
  auto out = table().read(text);
  if (out && !(out->lower < out->upper))
    return fail(Fault::usage, "lower: a transition begins below where it ends; {} % is not below {} %.",
                100 * out->lower, 100 * out->upper);
  if (out && out->from && out->to && !(*out->from < *out->to))
    return fail(Fault::input, "from: what is analysed ends before it begins.");
  return out;
}

Result<WaveformsPtr> waveforms_of(const Point& point, const Settings& settings) {
  return study::waveforms_of(point, {settings.start, settings.step, settings.bandwidth},
                             "say when the record starts and its step, such as start=0, step=10ns.");
}

SettingsText as_text(const Settings& settings) { return table().text(settings); }

}  // namespace heron::study::waveform
