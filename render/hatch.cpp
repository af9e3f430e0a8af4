#include "hatch.h"

#include <QHash>
#include <QPaintEngine>
#include <QPainterPath>
#include <QPixmap>
#include <cmath>

namespace heron::render {
namespace {

/// One tile of the lines, made once for each colour, spacing and screen.
QBrush tile(const QColor& stroke, int spacing, qreal pixels) {
  static QHash<quint64, QBrush> made;
  const auto key = quint64(stroke.rgba()) << 32 | quint64(spacing) << 16 | quint64(std::lround(pixels * 100));
  if (const auto it = made.constFind(key); it != made.constEnd()) return *it;
  QPixmap pixmap(int(std::ceil(spacing * pixels)), int(std::ceil(spacing * pixels)));
  pixmap.setDevicePixelRatio(pixels);
  pixmap.fill(Qt::transparent);
  QPainter painter(&pixmap);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(stroke, 1));
  // Its neighbours' lines reach into the corners.
  for (int shift = -spacing; shift <= spacing; shift += spacing)
    painter.drawLine(QPointF(shift - 1, spacing + 1), QPointF(shift + spacing + 1, -1));
  painter.end();
  return made[key] = QBrush(pixmap);
}

}  // namespace

void hatch(QPainter& painter, const QPolygonF& area, const QColor& stroke, int spacing) {
  painter.save();
  QPainterPath path;
  path.addPolygon(area);
  if (painter.paintEngine()->type() == QPaintEngine::Raster) {
    painter.setBrushOrigin(0, 0);
    painter.fillPath(path, tile(stroke, spacing, painter.device()->devicePixelRatioF()));
  } else {
    painter.setClipPath(path, Qt::IntersectClip);
    painter.setPen(QPen(stroke, 1));
    const QRectF box = area.boundingRect();
    for (double x = std::floor((box.left() - box.height()) / spacing) * spacing; x < box.right(); x += spacing)
      painter.drawLine(QPointF(x, box.bottom()), QPointF(x + box.height(), box.top()));
  }
  painter.restore();
}

}  // namespace heron::render
