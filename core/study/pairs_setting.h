#pragma once
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "study/settings_table.h"

/// Points of a curve that a person types off a data sheet: "10 ms 80 A, 100 ms 30 A".
namespace heron::study {

using Pairs = std::vector<std::pair<double, double>>;

/// What the points of a setting are.
struct PairsRule {
  std::string x_unit, y_unit;
  std::string words;    ///< "a time and the current that it bears so long"
  std::string x_words;  ///< "times", of which each is above the one before
  std::string example;  ///< "100 ms 30 A"
};

/// @return x above zero and rising, y above zero; Fault::usage where they are not, or are no pairs
Result<Pairs> pairs_from(std::string_view key, std::string_view text, const PairsRule& rule);
std::string pairs_text(const Pairs& pairs, const PairsRule& rule);

/// "none" empties it.
template <class S>
Setting<S> pairs_setting(std::string key, Pairs S::*member, PairsRule rule) {
  return {key,
          [=](S& s, std::string_view k, std::string_view text) -> Result<void> {
            auto read = pairs_from(k, text, rule);
            if (!read) return tl::unexpected(read.error());
            s.*member = std::move(*read);
            return {};
          },
          [=](const S& s, SettingsText& out) {
            if (!(s.*member).empty()) out[key] = pairs_text(s.*member, rule);
          }};
}

}  // namespace heron::study
