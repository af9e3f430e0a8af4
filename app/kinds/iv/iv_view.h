#pragma once
#include "app/kinds/kind_view.h"
#include "study/iv/curve.h"
#include "study/iv/plan.h"
#include "study/iv/settings.h"

namespace heron::app {

const KindView& iv_view();

/// The study in view as a sweep of current and voltage; null where it is of another kind.
const study::iv::Plan* sweep_plan(const Desk& desk);
study::iv::Settings sweep_settings(const Desk& desk);
/// What a take came to; null for none.
const study::iv::Family* family_of(const TakeView* view);
inline const study::iv::Family* family_of(const TakeViewPtr& view) { return family_of(view.get()); }

}  // namespace heron::app
