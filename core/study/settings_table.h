#pragma once
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/quantity.h"
#include "base/result.h"
#include "study/columns.h"

/// How a kind's takes are read, each setting written once: its key, what text it takes, and the text that it reads back.
namespace heron::study {

/// One setting of S. Errors are Fault::usage and begin with the key.
template <class S>
struct Setting {
  std::string key;  ///< one that ends in a dot stands for all that begin with it: "watch."
  std::function<Result<void>(S&, std::string_view key, std::string_view text)> set;
  /// Into the map under its key, where there is something to tell.
  std::function<void(const S&, SettingsText&)> tell;
};

/// A number as setting_number() reads it back.
inline std::string number_text(double value, std::string_view unit) {
  return unit == "1" ? fmt::format("{:.12g}", value) : fmt::format("{:.12g} {}", value, unit);
}

/// How large a number may be.
enum class Bound { any, not_negative, positive };

inline Result<double> setting_number(std::string_view key, std::string_view text, std::string_view unit, Bound bound) {
  const auto value = parse_value(text, unit);
  if (!value) return fail(Fault::usage, "{}: {}", key, value.error().message);
  if (bound == Bound::positive && !(*value > 0)) return fail(Fault::usage, "{}: must be above zero.", key);
  if (bound == Bound::not_negative && *value < 0) return fail(Fault::usage, "{}: must not be below zero.", key);
  return *value;
}

template <class S>
Setting<S> number_setting(std::string key, double S::*member, std::string unit, Bound bound = Bound::any) {
  return {key,
          [=](S& s, std::string_view k, std::string_view text) -> Result<void> {
            const auto value = setting_number(k, text, unit, bound);
            if (!value) return tl::unexpected(value.error());
            s.*member = *value;
            return {};
          },
          [=](const S& s, SettingsText& out) { out[key] = number_text(s.*member, unit); }};
}

/// One that may be unset; "none" unsets it.
template <class S>
Setting<S> number_setting(std::string key, std::optional<double> S::*member, std::string unit, Bound bound = Bound::any) {
  return {key,
          [=](S& s, std::string_view k, std::string_view text) -> Result<void> {
            if (text == "none") {
              s.*member = std::nullopt;
              return {};
            }
            const auto value = setting_number(k, text, unit, bound);
            if (!value) return tl::unexpected(value.error());
            s.*member = *value;
            return {};
          },
          [=](const S& s, SettingsText& out) {
            if (s.*member) out[key] = number_text(*(s.*member), unit);
          }};
}

/// A share that is said in per cent, without the sign on wish: 2 is 2 %.
template <class S>
Setting<S> percent_setting(std::string key, double S::*member, double least = 0, double most = 1e9) {
  return {key,
          [=](S& s, std::string_view k, std::string_view text) -> Result<void> {
            const auto value = setting_number(k, text, "%", Bound::any);
            if (!value) return tl::unexpected(value.error());
            if (!(*value > least && *value < most))
              return fail(Fault::usage, "{}: more than {} % and less than {} % is wanted, not {}.", k, least, most, text);
            s.*member = *value / 100;
            return {};
          },
          [=](const S& s, SettingsText& out) { out[key] = fmt::format("{:.12g} %", 100 * (s.*member)); }};
}

/// One of a few words.
template <class S, class Enum>
Setting<S> word_setting(std::string key, Enum S::*member, std::vector<std::pair<Enum, std::string>> words) {
  return {key,
          [=](S& s, std::string_view k, std::string_view text) -> Result<void> {
            std::string all;
            for (const auto& [value, word] : words) {
              if (word == text) {
                s.*member = value;
                return {};
              }
              all += (all.empty() ? "" : ", ") + word;
            }
            return fail(Fault::usage, "{}: one of {} is wanted, not \"{}\".", k, all, text);
          },
          [=](const S& s, SettingsText& out) {
            for (const auto& [value, word] : words)
              if (value == s.*member) out[key] = word;
          }};
}

template <class S>
class SettingsTable {
 public:
  explicit SettingsTable(std::vector<Setting<S>> all) : all_(std::move(all)) {}

  Result<void> set(S& into, std::string_view key, std::string_view text) const {
    std::string names;
    for (const auto& one : all_) {
      const bool family = one.key.ends_with('.');
      if (family ? key.starts_with(one.key) && key.size() > one.key.size() : key == one.key)
        return one.set(into, key, text);
      names += (names.empty() ? "" : ", ") + one.key + (family ? "NAME" : "");
    }
    return fail(Fault::usage, "There is no setting \"{}\"; there are {}.", key, names);
  }

  Result<S> read(const SettingsText& text) const {
    S out;
    for (const auto& [key, value] : text)
      if (auto ok = set(out, key, value); !ok) return tl::unexpected(ok.error());
    return out;
  }

  /// All that are set, as text that reads back.
  SettingsText text(const S& settings) const {
    SettingsText out;
    for (const auto& one : all_) one.tell(settings, out);
    return out;
  }

 private:
  std::vector<Setting<S>> all_;
};

/// Whether a setting says something that S's own set() takes, as a kind is asked it.
template <class S>
Result<void> check_setting(std::string_view key, std::string_view text) {
  S scratch;
  return set(scratch, key, text);
}

}  // namespace heron::study
