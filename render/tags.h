#pragma once
#include <QPointF>
#include <QRectF>
#include <QSizeF>
#include <optional>
#include <vector>

namespace heron::render {

/// A tag that wants to stand above a place.
struct TagWish {
  QPointF at;    ///< pixels
  QSizeF size;
};

/// Where tags stand so that no two touch and all lie inside: the first has its wish, each other one the nearest free place
/// above or beside its own. Nothing for one that finds none.
std::vector<std::optional<QRectF>> place_tags(const std::vector<TagWish>& wishes, const QRectF& area);

}  // namespace heron::render
