#pragma once
#include "study/kind.h"
#include "study/response/reduce.h"
#include "study/response/settings.h"

namespace heron::study::response {

const Kind& kind();

/// Gain and phase over frequency.
Columns as_columns(const Curve& curve);

/// All settings from their text; unknown ones are Fault::usage.
Result<Settings> settings_from_text(const SettingsText& text);

}  // namespace heron::study::response
