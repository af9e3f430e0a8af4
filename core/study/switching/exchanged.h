#pragma once
#include "study/switching/shot.h"

namespace heron::study::switching {

/// Whether v_ds looks like the current and i_d like the voltage: by the gate, which is high while v_ds is low, or else by
/// the load's current, which climbs while it flows, as no bus does while it is blocked.
/// @param shot     with its passages of v_ds, at least one, and its levels
/// @param largest  A, of what i_d reads anywhere
Result<bool> exchanged(const Shot& shot, double largest);

}  // namespace heron::study::switching
