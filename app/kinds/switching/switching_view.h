#pragma once
#include "app/kinds/kind_view.h"
#include "study/switching/reduced.h"

namespace heron::app {

const KindView& switching_view();

/// What a take of shots came to; null for another.
const study::switching::ReducedSwitching* switching_of(const TakeView* view);

}  // namespace heron::app
