#pragma once
#include "app/kinds/kind_view.h"

namespace heron::app {

const KindView& spectrum_view();

}  // namespace heron::app
