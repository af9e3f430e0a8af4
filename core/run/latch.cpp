#include "run/latch.h"

#include <algorithm>

#include "study/watch_duty.h"
#include "study/watch_setting.h"

namespace heron::run {

std::vector<study::Watch> latching_watches(const study::SettingsText& settings) {
  std::vector<study::Watch> out;
  for (const auto& [key, text] : settings) {
    if (!key.starts_with(study::kWatch)) continue;
    auto watch = study::parse_watch(std::string_view(key).substr(study::kWatch.size()), text);
    if (watch && watch->latches) out.push_back(std::move(*watch));
  }
  return out;
}

std::vector<Held> held_watches(const study::SettingsText& settings, std::span<const dossier::Take> takes, const std::string& unit) {
  std::vector<Held> out;
  const auto latching = latching_watches(settings);
  for (const auto& take : takes) {
    if (take.unit != unit) continue;
    for (const auto& [watch, released] : take.latched)
      if (released.empty() && std::any_of(latching.begin(), latching.end(), [&](const auto& w) { return w.name == watch; })) out.push_back({take.id, take.number, watch});
  }
  return out;
}

std::vector<study::Doubt> held_findings(const std::vector<Held>& held) {
  if (held.empty()) return {};
  std::string what;
  for (const auto& one : held) what += fmt::format("{}{} in take {}", what.empty() ? "" : ", ", one.watch, one.number);
  return {study::mended_by(study::Mend::release, {"watch.latched", study::Severity::serious, fmt::format("A watch that latches has tripped: {}. Nothing is taken until a person releases it.", what),
                                                  held.size() == 1 ? "Release it." : "Release them."})};
}

Result<std::vector<std::string>> tripped_in(const study::Point& point, const std::vector<study::Watch>& watches) {
  std::vector<std::string> out;
  for (std::size_t k = 0; k < point.records.size(); ++k) {
    if (watches.empty() || !(point.records[k].sample_rate > 0)) continue;
    const auto record = study::waveforms_of(point, {}, {}, k);
    if (!record) return tl::unexpected(record.error());
    for (const auto& watch : watches) {
      if (std::find(out.begin(), out.end(), watch.name) != out.end()) continue;
      const auto trip = study::first_trip(**record, std::span(&watch, 1));
      if (!trip) return tl::unexpected(trip.error());
      if (*trip) out.push_back(watch.name);
    }
  }
  return out;
}

}  // namespace heron::run
