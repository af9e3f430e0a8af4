#include "margin.h"

#include <algorithm>

#include "base/quantity.h"
#include "render/hatch.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

void draw_margin(QPainter& p, const QRectF& bar, const judge::Judgement& j) {
  const QColor colour = render::verdict_colour(j.verdict);
  p.fillRect(bar, theme().silt);
  if (!j.lower && !j.upper) return;
  double low = j.lower.value_or(*(j.upper ? j.upper : j.lower)), high = j.upper.value_or(low);
  double span = high - low;
  if (!j.lower || !j.upper) span = std::max(std::abs(low) * 0.5, j.value ? 2 * std::abs(*j.value - low) : 0.0);
  if (!(span > 0)) span = 1;
  double from = j.lower ? low - 0.4 * span : high - span, to = j.upper ? high + 0.4 * span : low + span;
  if (j.value) {
    // A value far outside would hang off the bar; it stops at the end instead, and the number tells the rest.
    from = std::max(std::min(from, *j.value - 0.1 * span), from - span);
    to = std::min(std::max(to, *j.value + 0.1 * span), to + span);
  }
  const auto x = [&](double v) { return bar.left() + std::clamp((v - from) / (to - from), 0.0, 1.0) * bar.width(); };
  const auto forbidden = [&](double a, double b) {
    QColor stroke = theme().slate;
    stroke.setAlpha(120);
    render::hatch(p, QRectF(a, bar.top(), b - a, bar.height()), stroke, 4);
  };
  if (j.lower) forbidden(bar.left(), x(low));
  if (j.upper) forbidden(x(high), bar.right());
  p.setPen(QPen(theme().ink, 1.4));
  if (j.lower) p.drawLine(QPointF(x(low), bar.top() - 2), QPointF(x(low), bar.bottom() + 2));
  if (j.upper) p.drawLine(QPointF(x(high), bar.top() - 2), QPointF(x(high), bar.bottom() + 2));
  if (!j.value) return;
  const QPointF at(x(*j.value), bar.center().y());
  if (j.u) {
    p.setPen(QPen(colour, 1.4));
    p.drawLine(QPointF(x(*j.value - 2 * *j.u), at.y()), QPointF(x(*j.value + 2 * *j.u), at.y()));
  }
  p.setPen(Qt::NoPen);
  p.setBrush(colour);
  p.drawPolygon(QPolygonF({at + QPointF(0, -5.5), at + QPointF(5.5, 0), at + QPointF(0, 5.5), at + QPointF(-5.5, 0)}));
}

QString judgement_words(const judge::Judgement& j) {
  QString said;
  if (j.value) {
    const auto value = format_with_uncertainty(*j.value, j.u, j.unit);
    said += QString("\n%1").arg(QString::fromStdString(value.plain()));
    if (!value.uncertainty.empty())
      said += QString(" \u00b1 %1 (k = 2)").arg(QString::fromStdString(value.uncertainty));
    if (!j.on.empty()) said += ", " + QString::fromStdString(j.on);
    if (j.at) said += " at " + QString::fromStdString(format_quantity(*j.at, j.at_unit).plain());
  }
  if (j.expected) said += "\nexpected " + QString::fromStdString(format_quantity(*j.expected, j.unit).plain());
  if (j.lower) said += "\nlower limit " + QString::fromStdString(format_quantity(*j.lower, j.unit).plain());
  if (j.upper) said += "\nupper limit " + QString::fromStdString(format_quantity(*j.upper, j.unit).plain());
  if (j.margin) said += "\nmargin " + QString::fromStdString(format_quantity(*j.margin, j.unit, 3).plain());
  if (!j.reason.empty()) said += "\n" + QString::fromStdString(j.reason);
  if (!j.caveat.empty()) said += "\n" + QString::fromStdString(j.caveat);
  return said;
}

}  // namespace heron::app
