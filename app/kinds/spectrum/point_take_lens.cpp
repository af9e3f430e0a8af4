#include "point_take_lens.h"

namespace heron::app {

bool PointTakeLens::arrived(const PointOf& point) {
  words_.offer(point);
  if (!point.spectra) say(point.trouble.isEmpty() ? "The take has no record." : point.trouble);
  return point.spectra != nullptr;
}

}  // namespace heron::app
