#pragma once
#include <QString>

#include "study/conversion/rows.h"

namespace heron::app {

/// What tells a curve from the others: "12 V, 400 kHz".
QString curve_words(const study::conversion::LoadCurve& curve, const std::vector<study::conversion::LoadCurve>& all);
/// "200 mA"
QString curve_words(const study::conversion::LineCurve& curve, const std::vector<study::conversion::LineCurve>& all);

}  // namespace heron::app
