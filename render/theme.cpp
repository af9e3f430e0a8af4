#include "render/theme.h"

#include "base/take_colours.h"

#include <QFontDatabase>
#include <QPainter>
#include <QPainterPath>
#include <array>
#include <cmath>

// At file scope because Q_INIT_RESOURCE must not stand inside a namespace.
static void init_font_resource() { Q_INIT_RESOURCE(fonts); }

namespace heron::render {

const Theme& theme() {
  static const Theme estuary;
  return estuary;
}

QColor take_colour(int number) { return QColor::fromRgb(take_colour_of(number)); }
bool take_dashed(int number) { return take_dashed_of(number); }

QColor paled(const QColor& ink, double share) {
  const auto mixed = [&](int a, int b) { return int(std::lround(a + share * (b - a))); };
  const auto& paper = theme().sheet;
  return {mixed(ink.red(), paper.red()), mixed(ink.green(), paper.green()), mixed(ink.blue(), paper.blue())};
}

QColor verdict_colour(judge::Verdict verdict) {
  switch (verdict) {
    case judge::Verdict::meets:
      return theme().reed;
    case judge::Verdict::fails:
      return theme().rust;
    case judge::Verdict::too_close:
      return theme().iris;
    case judge::Verdict::not_measured:
      return theme().slate;
  }
  return theme().slate;
}

void load_fonts() {
  init_font_resource();
  for (const char* name : {"Inter-Regular", "Inter-Medium", "Inter-SemiBold", "B612-Regular", "B612-Bold"})
    QFontDatabase::addApplicationFont(QString(":/fonts/%1.otf").arg(name));
}

QFont text_font(double pixels, QFont::Weight weight) {
  QFont font("Inter");
  font.setPixelSize(qRound(pixels));
  font.setWeight(weight);
  return font;
}

QFont number_font(double pixels, bool bold) {
  QFont font("B612");
  font.setPixelSize(qRound(pixels));
  font.setStyleName(bold ? "Bold" : "Regular");
  font.setWeight(bold ? QFont::Bold : QFont::Normal);
  return font;
}

void draw_verdict(QPainter& painter, const QRectF& square, judge::Verdict verdict) {
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  QPen pen(verdict_colour(verdict), square.width() / 7);
  pen.setCapStyle(Qt::RoundCap);
  painter.setPen(pen);
  const auto at = [&](double x, double y) {
    return QPointF(square.x() + x * square.width(), square.y() + y * square.height());
  };
  switch (verdict) {
    case judge::Verdict::meets: {
      const std::array points = {at(0.12, 0.55), at(0.4, 0.82), at(0.9, 0.2)};
      painter.drawPolyline(points.data(), 3);
      break;
    }
    case judge::Verdict::fails:
      painter.drawLine(at(0.2, 0.2), at(0.8, 0.8));
      painter.drawLine(at(0.8, 0.2), at(0.2, 0.8));
      break;
    case judge::Verdict::too_close:
      painter.drawLine(at(0.12, 0.36), at(0.88, 0.36));
      painter.drawLine(at(0.12, 0.64), at(0.88, 0.64));
      break;
    case judge::Verdict::not_measured:
      painter.drawLine(at(0.2, 0.5), at(0.8, 0.5));
      break;
  }
  painter.restore();
}

}  // namespace heron::render
