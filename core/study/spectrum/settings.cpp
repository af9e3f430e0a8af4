#include "study/spectrum/settings.h"

#include <cmath>

#include "study/settings_table.h"

namespace heron::study::spectrum {
namespace {

constexpr int kMostBits = 24;
constexpr double kNone = -1e-9;  ///< % below nothing: none at all is allowed

/// "20Hz..20kHz" as its two ends.
Result<std::pair<double, double>> ends_of(std::string_view key, std::string_view text, std::string_view unit, const char* example) {
  const auto dots = text.find("..");
  if (dots == std::string_view::npos) return fail(Fault::usage, "{}: two ends with dots between are wanted, such as {}.", key, example);
  const auto low = setting_number(key, text.substr(0, dots), unit, Bound::any), high = setting_number(key, text.substr(dots + 2), unit, Bound::any);
  if (!low) return tl::unexpected(low.error());
  if (!high) return tl::unexpected(high.error());
  if (!(*low < *high)) return fail(Fault::usage, "{}: the first end does not lie below the second.", key);
  return std::pair{*low, *high};
}

Setting<Settings> harmonics() {
  return {"harmonics",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            // One alone is a range of itself.
            const auto one = text.find("..") == std::string_view::npos ? std::string(text) + ".." + std::string(text) : std::string(text);
            const auto dots = one.find("..");
            const auto low = setting_number(key, std::string_view(one).substr(0, dots), "1", Bound::positive),
                       high = setting_number(key, std::string_view(one).substr(dots + 2), "1", Bound::positive);
            if (!low) return tl::unexpected(low.error());
            if (!high) return tl::unexpected(high.error());
            if (*low != std::round(*low) || *high != std::round(*high) || *low < 2 || *high < *low || *high > 200)
              return fail(Fault::usage, "{}: whole numbers from 2 to 200 are wanted, such as 2..10, not {}.", key, text);
            s.harmonics = {int(*low), int(*high)};
            return {};
          },
          [](const Settings& s, SettingsText& out) { out["harmonics"] = fmt::format("{}..{}", s.harmonics.first, s.harmonics.second); }};
}

Setting<Settings> band() {
  return {"band",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            if (text == "none") {
              s.band.reset();
              return {};
            }
            const auto ends = ends_of(key, text, "Hz", "20Hz..20kHz");
            if (!ends) return tl::unexpected(ends.error());
            if (ends->first < 0) return fail(Fault::usage, "{}: no frequency lies below zero.", key);
            s.band = *ends;
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            if (s.band) out["band"] = fmt::format("{:.12g} Hz..{:.12g} Hz", s.band->first, s.band->second);
          }};
}

/// "link.v": what stands between the device and the input of a quantity; "none" takes it out.
Setting<Settings> links() {
  return {std::string(kLinkSettings),
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            const auto name = key.substr(kLinkSettings.size());
            if (text == "none") {
              if (const auto it = s.links.find(name); it != s.links.end()) s.links.erase(it);
              return {};
            }
            auto link = link_from_text(key, text);
            if (!link) return tl::unexpected(link.error());
            s.links.insert_or_assign(std::string(name), std::move(*link));
            return {};
          },
          [](const Settings& s, SettingsText& out) {
            for (const auto& [name, link] : s.links) out[std::string(kLinkSettings) + name] = link_text(link);
          }};
}

Setting<Settings> window() {
  return {"window",
          [](Settings& s, std::string_view key, std::string_view text) -> Result<void> {
            if (text == "auto") {
              s.window.reset();
              return {};
            }
            const auto window = signal::window_from_text(text);
            if (!window) return fail(Fault::usage, "{}: {}", key, window.error().message);
            s.window = *window;
            return {};
          },
          [](const Settings& s, SettingsText& out) { out["window"] = s.window ? std::string(signal::window_text(*s.window)) : "auto"; }};
}

const SettingsTable<Settings>& table() {
  static const SettingsTable<Settings> all({
      window(),
      number_setting("fundamental", &Settings::fundamental, "Hz", Bound::positive),
      number_setting("full_scale", &Settings::full_scale, "V", Bound::positive),
      harmonics(),
      band(),
      word_setting<Settings, Weighting>("weighting", &Settings::weighting, {{Weighting::none, "none"}, {Weighting::a, "A"}}),
      word_setting<Settings, Average>("average", &Settings::average, {{Average::power, "power"}, {Average::coherent, "coherent"}}),
      number_setting("segment", &Settings::segment, "1", Bound::positive),
      percent_setting("overlap", &Settings::overlap, kNone, 99),
      number_setting("sample_rate", &Settings::sample_rate, "Hz", Bound::positive),
      number_setting("bits", &Settings::bits, "bit", Bound::positive),
      word_setting<Settings, CodeSign>("coding", &Settings::coding, {{CodeSign::twos_complement, "signed"}, {CodeSign::none, "unsigned"}}),
      number_setting("aperture_jitter", &Settings::aperture_jitter, "s", Bound::positive),
      number_setting("histogram_samples", &Settings::histogram_samples, "1", Bound::positive),
      links(),
      number_setting(std::string(kShorted), &Settings::shorted, "1", Bound::positive),
      number_setting("u_limit", &Settings::u_limit, "dB", Bound::positive),
  });
  return all;
}

}  // namespace

Result<void> set(Settings& settings, std::string_view key, std::string_view text) { return table().set(settings, key, text); }

Result<Settings> settings_from_text(const SettingsText& text) {
  auto out = table().read(text);
  if (!out) return out;
  if (const auto& segment = out->segment; segment && !(*segment == std::round(*segment) && *segment >= 64 && *segment <= double(kLongest)))
    return fail(Fault::usage, "segment: a whole number of samples from 64 to {} is wanted.", kLongest);
  if (out->coding == CodeSign::none && !out->bits) return fail(Fault::usage, "coding: it says how codes are counted; set bits beside it.");
  if (const auto& bits = out->bits; bits && !(*bits == std::round(*bits) && *bits >= 2 && *bits <= kMostBits))
    return fail(Fault::usage, "bits: a whole number from 2 to {} is wanted.", kMostBits);
  return out;
}

SettingsText as_text(const Settings& settings) { return table().text(settings); }

}  // namespace heron::study::spectrum
