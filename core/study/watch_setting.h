#pragma once
#include <algorithm>
#include <string>
#include <vector>

#include "study/settings_table.h"
#include "study/watch.h"

namespace heron::study {

inline constexpr std::string_view kWatch = "watch.";

/// "watch.rail = under 4.6 V for 10 us"; "none" takes it out. For every kind that records over time.
template <class S>
Setting<S> watch_setting(std::vector<Watch> S::*member) {
  return {std::string(kWatch),
          [=](S& s, std::string_view key, std::string_view text) -> Result<void> {
            const auto name = key.substr(kWatch.size());
            std::erase_if(s.*member, [&](const Watch& w) { return w.name == name; });
            if (text == "none") return {};
            auto watch = parse_watch(name, text);
            if (!watch) return tl::unexpected(watch.error());
            (s.*member).push_back(std::move(*watch));
            return {};
          },
          [=](const S& s, SettingsText& out) {
            for (const auto& w : s.*member) out[std::string(kWatch) + w.name] = watch_text(w);
          }};
}

}  // namespace heron::study
