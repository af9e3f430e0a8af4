#pragma once
#include <string>
#include <vector>

#include "base/result.h"

namespace heron::demo {

inline constexpr const char* kDossierName = "mudlark_buoy.heron";
inline constexpr const char* kPracticeName = "mudlark_practice.heron";

/// Writes the practice dossier alone; nothing is measured for it.
/// @return its path
Result<std::string> write_practice(const std::string& folder);

/// Studies of the practice dossier: the sound one, and one for each thing that goes wrong on a bench.
std::string sound_study_name();
std::vector<std::string> fault_names();

/// Writes the demo dossier, the practice dossier and the circuits into a folder, measuring every take on the simulated
/// bench.
/// @return the dossier's path
Result<std::string> write(const std::string& folder);

}  // namespace heron::demo
