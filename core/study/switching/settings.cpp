#include "study/switching/settings.h"

#include "base/words.h"
#include "study/pairs_setting.h"
#include "study/switching/shot.h"

namespace heron::study::switching {
namespace {

const PairsRule kPromised = {"A", "J", "a current and its energy", "currents", "10 A 31 uJ"};

const SettingsTable<Settings>& table() {
  static const SettingsTable<Settings> all({
      wires_setting(&Settings::wires, is_role, all_roles),
      number_setting("v_bus", &Settings::v_bus, "V", Bound::positive),
      number_setting("i_load", &Settings::i_load, "A", Bound::positive),
      percent_setting("on.start", &Settings::on_start, 0, 100),
      percent_setting("on.end", &Settings::on_end, 0, 100),
      percent_setting("off.start", &Settings::off_start, 0, 100),
      percent_setting("off.end", &Settings::off_end, 0, 100),
      number_setting("skew", &Settings::skew, "s"),
      word_setting<Settings, bool>("zero", &Settings::zero, {{true, "on"}, {false, "off"}}),
      number_setting("bandwidth", &Settings::bandwidth, "Hz", Bound::positive),
      number_setting("shunt", &Settings::shunt, "ohm", Bound::positive),
      number_setting("from", &Settings::from, "s"),
      number_setting("to", &Settings::to, "s"),
      number_setting("start", &Settings::start, "s"),
      number_setting("step", &Settings::step, "s", Bound::positive),
      number_setting("sample_rate", &Settings::sample_rate, "Hz", Bound::positive),
      percent_setting("u_limit", &Settings::u_limit),
      number_setting("safe_voltage", &Settings::safe_voltage, "V", Bound::positive),
      number_setting("voltage_rating", &Settings::voltage_rating, "V", Bound::positive),
      number_setting("current_rating", &Settings::current_rating, "A", Bound::positive),
      number_setting("power_rating", &Settings::power_rating, "W", Bound::positive),
      pairs_setting("expected.on", &Settings::expected_on, kPromised),
      pairs_setting("expected.off", &Settings::expected_off, kPromised),
      number_setting("expected.voltage", &Settings::expected_voltage, "V", Bound::positive),
      number_setting("expected.resistor", &Settings::expected_resistor, "ohm", Bound::positive),
  });
  return all;
}

}  // namespace

Result<void> set(Settings& settings, std::string_view key, std::string_view text) { return table().set(settings, key, text); }

Result<Settings> settings_from_text(const SettingsText& text) {
  auto out = table().read(text);
  if (out && out->from && out->to && !(*out->from < *out->to)) return fail(Fault::input, "from: what is analysed ends before it begins.");
  if (out && out->step && out->sample_rate) return fail(Fault::usage, "step: say either the step or the sample_rate.");
  if (out && std::abs(out->skew) > 1e-3) return fail(Fault::usage, "skew: {:.3g} s is no skew between two channels; a few nanoseconds are.", out->skew);
  return out;
}

SettingsText as_text(const Settings& settings) { return table().text(settings); }

Result<WaveformsPtr> waveforms_of(const Point& point, const Settings& s, std::size_t record) {
  const auto step = s.step ? s.step : s.sample_rate ? std::optional(1 / *s.sample_rate) : std::nullopt;
  return study::waveforms_of(point, {s.start, step, s.bandwidth}, "say how fast it was sampled, such as sample_rate=1GHz.", record);
}

}  // namespace heron::study::switching
