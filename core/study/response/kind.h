#pragma once
#include "study/kind.h"
#include "study/response/assembly.h"
#include "study/response/reduced.h"
#include "study/response/settings.h"

namespace heron::study::response {

const Kind& kind();

/// All settings from their text; unknown ones are Fault::usage.
Result<Settings> settings_from_text(const SettingsText& text);

}  // namespace heron::study::response
