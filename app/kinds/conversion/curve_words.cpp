#include "curve_words.h"

#include <QStringList>
#include <algorithm>

#include "app/text.h"
#include "base/quantity.h"

namespace heron::app {
namespace {

/// The place itself where it differs, and what the device was told where that does.
template <class Curve>
QString words_for(const Curve& curve, const std::vector<Curve>& all, const std::string& place) {
  const auto differs = [&](auto of) { return std::any_of(all.begin(), all.end(), [&](const Curve& other) { return of(other) != of(curve); }); };
  QStringList out = {text(place)};
  if (curve.frequency && differs([](const Curve& c) { return c.frequency; })) out << text(format_quantity(*curve.frequency, "Hz", 3).plain());
  if (curve.temperature && differs([](const Curve& c) { return c.temperature; })) out << text(format_quantity(*curve.temperature, "degC", 3).plain());
  return out.join(", ");
}

}  // namespace

QString curve_words(const study::conversion::LoadCurve& curve, const std::vector<study::conversion::LoadCurve>& all) {
  return words_for(curve, all, format_quantity(curve.line, "V", 3).plain());
}

QString curve_words(const study::conversion::LineCurve& curve, const std::vector<study::conversion::LineCurve>& all) {
  return words_for(curve, all, format_quantity(curve.load, "A", 3).plain());
}

}  // namespace heron::app
