#include "hatch.h"

#include <QHash>
#include <QPaintEngine>
#include <QPainterPath>
#include <QPixmap>
#include <algorithm>
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

/// The parts of the diagonals that lie within: not every output knows of clipping.
QList<QLineF> strokes_within(const QPolygonF& area, int spacing) {
  QList<QLineF> out;
  // Along a diagonal x + y is one number, and x tells the place.
  double low = INFINITY, high = -INFINITY;
  for (const auto& p : area) {
    low = std::min(low, p.x() + p.y());
    high = std::max(high, p.x() + p.y());
  }
  for (double sum = std::ceil(low / spacing) * spacing; sum < high; sum += spacing) {
    QList<double> crossings;
    for (qsizetype k = 0; k < area.size(); ++k) {
      const auto &p = area[k], &q = area[(k + 1) % area.size()];
      const double before = p.x() + p.y() - sum, after = q.x() + q.y() - sum;
      if ((before < 0) != (after < 0)) crossings.append(p.x() + (q.x() - p.x()) * before / (before - after));
    }
    std::sort(crossings.begin(), crossings.end());
    for (qsizetype k = 0; k + 1 < crossings.size(); k += 2) out.append(QLineF(crossings[k], sum - crossings[k], crossings[k + 1], sum - crossings[k + 1]));
  }
  return out;
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
    painter.setPen(QPen(stroke, 1));
    painter.drawLines(strokes_within(painter.hasClipping() ? area.intersected(QPolygonF(painter.clipBoundingRect())) : area, spacing));
  }
  painter.restore();
}

}  // namespace heron::render
