#pragma once
#include <span>
#include <string>
#include <vector>

#include "dossier/store.h"
#include "study/watch.h"

/// Watches that latch: one that has tripped holds, and nothing more is taken of that unit, until a person releases it.
namespace heron::run {

/// Those of a study's watches that latch.
std::vector<study::Watch> latching_watches(const study::SettingsText& settings);

/// One that holds since an earlier take.
struct Held {
  long long take = 0;
  int number = 0;  ///< of the take
  std::string watch;
};
/// @param takes  of the study
std::vector<Held> held_watches(const study::SettingsText& settings, std::span<const dossier::Take> takes, const std::string& unit);

/// A serious finding for what holds; none where nothing does.
std::vector<study::Doubt> held_findings(const std::vector<Held>& held);

/// Of these watches those that trip in a point's records.
Result<std::vector<std::string>> tripped_in(const study::Point& point, const std::vector<study::Watch>& watches);

}  // namespace heron::run
