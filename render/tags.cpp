#include "tags.h"

#include <algorithm>

namespace heron::render {

std::vector<std::optional<QRectF>> place_tags(const std::vector<TagWish>& wishes, const QRectF& area) {
  constexpr double kGap = 3, kAbove = 7;
  std::vector<std::optional<QRectF>> out;
  std::vector<QRectF> taken;
  const auto free = [&](const QRectF& box) {
    return area.contains(box) && std::none_of(taken.begin(), taken.end(), [&](const QRectF& other) {
             return other.adjusted(-kGap, -kGap, kGap, kGap).intersects(box);
           });
  };
  for (const auto& wish : wishes) {
    const double w = wish.size.width(), h = wish.size.height();
    std::optional<QRectF> best;
    double least = 0;
    // Above as far as there is room, and below only where there is none.
    for (int up = -24; up < 24; ++up)
      for (int aside = -8; aside <= 8; ++aside) {
        const double top = up >= 0 ? wish.at.y() - kAbove - h - up * (h + kGap) : wish.at.y() + kAbove - (up + 1) * (h + kGap);
        QRectF box(wish.at.x() - w / 2 + aside * w / 4, top, w, h);
        // At an edge it moves inwards rather than away.
        box.moveLeft(std::clamp(box.left(), area.left(), std::max(area.left(), area.right() - w)));
        box.moveTop(std::max(box.top(), area.top()));
        const double away = std::abs(box.center().x() - wish.at.x()) + std::abs(box.bottom() + kAbove - wish.at.y()) + (up < 0 ? 2 * h : 0);
        if ((!best || away < least) && free(box)) {
          best = box;
          least = away;
        }
      }
    if (best) taken.push_back(*best);
    out.push_back(best);
  }
  return out;
}

}  // namespace heron::render
