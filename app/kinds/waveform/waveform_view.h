#pragma once
#include "app/kinds/kind_view.h"
#include "study/waveforms.h"

namespace heron::app {

const KindView& waveform_view();

/// The records of a take; empty for none.
const std::vector<study::WaveformsPtr>& records_of(const TakeView* view);
inline const std::vector<study::WaveformsPtr>& records_of(const TakeViewPtr& view) { return records_of(view.get()); }

/// Why a lens has no record to show; empty where there is one.
QString no_record(Desk& desk);

}  // namespace heron::app
