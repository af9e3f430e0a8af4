#include "laid_over.h"

namespace heron::app {

std::vector<LaidOver> laid_over(Desk& desk) {
  std::vector<LaidOver> out;
  const auto shown = desk.focus.shown(), wake = desk.focus.wake();
  const auto add = [&](long long take, bool behind) {
    if (take == shown) return;
    if (const auto view = desk.readings.view(take); view && !view->empty()) out.push_back({view, behind});
  };
  if (wake) add(*wake, true);
  for (const auto take : desk.focus.overlaid())
    if (take != wake) add(take, false);
  return out;
}

}  // namespace heron::app
