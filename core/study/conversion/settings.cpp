#include "study/conversion/settings.h"

#include <cmath>

#include "base/words.h"
#include "study/pairs_setting.h"
#include "study/watch_setting.h"

namespace heron::study::conversion {
namespace {

constexpr std::string_view kShuntKey = "shunt.";

/// "10 mohm, 50 ppm/K, 25 K/W"
Result<Shunt> shunt_from(std::string_view key, std::string_view text) {
  const auto parts = pieces(text);
  const auto wrong = [&] { return fail(Fault::usage, "{}: a resistance, its ppm/K and its K/W are wanted, such as 10 mohm, 50 ppm/K, 25 K/W.", key); };
  if (parts.size() != 3 || !parts[1].ends_with("ppm/K") || !parts[2].ends_with("K/W")) return wrong();
  const auto ohms = parse_value(parts[0], "ohm"), coefficient = parse_value(trimmed(std::string_view(parts[1]).substr(0, parts[1].size() - 5)), "1"),
             thermal = parse_value(trimmed(std::string_view(parts[2]).substr(0, parts[2].size() - 3)), "1");
  if (!ohms || !coefficient || !thermal || !(*ohms > 0) || !(*thermal >= 0)) return wrong();
  return Shunt{*ohms, 1e-6 * *coefficient, *thermal};
}

Setting<Settings> shunts() {
  return {std::string(kShuntKey),
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            const std::string quantity(key.substr(kShuntKey.size()));
            if (text == "none") {
              s.shunts.erase(quantity);
              return {};
            }
            auto shunt = shunt_from(key, text);
            if (!shunt) return tl::unexpected(shunt.error());
            s.shunts.insert_or_assign(quantity, *shunt);
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            for (const auto& [quantity, shunt] : s.shunts)
              out[std::string(kShuntKey) + quantity] = fmt::format("{:.12g} ohm, {:.12g} ppm/K, {:.12g} K/W", shunt.ohms, 1e6 * shunt.temperature_coefficient, shunt.thermal_resistance);
          }};
}

Setting<Settings> settled_share() {
  return {"settled_share",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            const auto value = setting_number(key, text, "1", Bound::positive);
            if (!value) return tl::unexpected(value.error());
            if (!(*value <= 1)) return fail(Fault::usage, "{}: more than 0 and not more than 1 is wanted, not {}.", key, text);
            s.settled_share = *value;
            return {};
          },
          [](const Settings& s, SettingsText& out) { out["settled_share"] = number_text(s.settled_share, "1"); }};
}

/// A share in per cent that may be unset.
Setting<Settings> tolerance() {
  return {"tolerance",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            if (text == "none") {
              s.tolerance.reset();
              return {};
            }
            const auto value = setting_number(key, text, "%", Bound::positive);
            if (!value) return tl::unexpected(value.error());
            s.tolerance = *value / 100;
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            if (s.tolerance) out["tolerance"] = fmt::format("{:.12g} %", 100 * *s.tolerance);
          }};
}

const SettingsTable<Settings>& table() {
  static const SettingsTable<Settings> all({
      number_setting("line", &Settings::line, "V"),
      number_setting("frequency", &Settings::frequency, "Hz", Bound::positive),
      number_setting("temperature", &Settings::temperature, "degC"),
      number_setting("line_from", &Settings::line_from, "V"),
      number_setting("line_to", &Settings::line_to, "V"),
      number_setting("load_from", &Settings::load_from, "A"),
      number_setting("load_to", &Settings::load_to, "A"),
      number_setting("nominal", &Settings::nominal, "V"),
      tolerance(),
      percent_setting("dropout_fraction", &Settings::dropout_fraction, 0, 100),
      settled_share(),
      percent_setting("settle_band", &Settings::settle_band, 0, 100),
      number_setting("switching", &Settings::switching, "Hz", Bound::positive),
      number_setting("from", &Settings::from, "s"),
      number_setting("to", &Settings::to, "s"),
      number_setting("start", &Settings::start, "s"),
      number_setting("step", &Settings::step, "s", Bound::positive),
      number_setting("sample_rate", &Settings::sample_rate, "Hz", Bound::positive),
      percent_setting("u_limit", &Settings::u_limit, 0, 100),
      pairs_setting("expected", &Settings::expected, {"A", "%", "an output current and its efficiency", "currents", "100 mA 88 %"}),
      shunts(),
      watch_setting(&Settings::watches),
  });
  return all;
}

}  // namespace

Result<void> set(Settings& settings, std::string_view key, std::string_view text) { return table().set(settings, key, text); }
Result<Settings> settings_from_text(const SettingsText& text) {
  auto out = table().read(text);
  if (out && out->from && out->to && !(*out->from < *out->to)) return fail(Fault::input, "from: what is analysed ends before it begins.");
  if (out && out->step && out->sample_rate) return fail(Fault::usage, "step: say either the step or the sample_rate.");
  return out;
}

SettingsText as_text(const Settings& settings) { return table().text(settings); }

}  // namespace heron::study::conversion
