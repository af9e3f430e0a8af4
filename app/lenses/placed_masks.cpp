#include "placed_masks.h"

namespace heron::app {

std::vector<judge::Mask> placed_masks(Desk& desk) {
  const auto view = desk.readings.shown();
  const study::Reading nothing;
  std::vector<judge::Mask> out;
  for (const auto& mask : desk.focus.masks())
    if (auto there = judge::placed(mask, view ? view->analysis.reading : nothing)) out.push_back(std::move(*there));
  return out;
}

}  // namespace heron::app
