#pragma once
#include <string>

#include "base/result.h"

namespace heron::demo {

inline constexpr const char* kDossierName = "mudlark_buoy.heron";

/// Writes the demo dossier and its circuits into a folder, measuring every take on the simulated bench.
/// @return the dossier's path
Result<std::string> write(const std::string& folder);

}  // namespace heron::demo
