#pragma once
#include "app/kinds/kind_view.h"
#include "study/power/reduced.h"

namespace heron::app {

const KindView& power_kind_view();

/// What a take of power came to; null for another.
const study::power::ReducedPower* power_of(const TakeView* view);

/// The inks of three phases: of one take's ink, the lighter the later. One phase has the take's own.
QColor phase_ink(const QColor& ink, std::size_t phase, std::size_t phases);
/// "a", or nothing of one phase.
QString phase_name(std::size_t phase, std::size_t phases);

}  // namespace heron::app
