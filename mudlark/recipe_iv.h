#pragma once
#include "dossier/store.h"

namespace heron::demo {

/// Studies of current against voltage: solar string, phototransistor, salinity cell, load switch, surge clamp.
Result<void> fill_iv(dossier::Store& store, std::uint64_t& seed);

}  // namespace heron::demo
