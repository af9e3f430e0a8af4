#pragma once
#include "app/kinds/kind_view.h"
#include "study/conversion/reduced.h"

namespace heron::app {

const KindView& conversion_kind_view();

/// What a take of conversion came to; null for another.
const study::conversion::ReducedConversion* conversion_of(const TakeView* view);

}  // namespace heron::app
