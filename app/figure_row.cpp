#include "figure_row.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

namespace {

/// What stands under a figure: how well it is known, and that nobody measured it here.
QString below(const run::LedgerLine& line, const NumberText& value) {
  const QString known = value.uncertainty.empty() ? QString() : "\u00b1 " + text(value.uncertainty);
  return line.typed ? (known + "  typed in").trimmed() : known;
}

}  // namespace

FigureRow::FigureRow(QWidget* parent) : QWidget(parent) {
  setFixedHeight(62);
  setObjectName("figure-row");
  setAccessibleName("Figures");
  setMouseTracking(true);
}

void FigureRow::show_take(const TakeView* view) {
  figures_.clear();
  taken_ = view && view->trouble.isEmpty() && !view->empty();
  if (view) {
    for (const auto& line : view->lines) {
      if (!line.claim) continue;
      const auto* figure = line.typed ? &line.typed->figure : view->analysis.reading.find(line.claim->figure);
      if (!figure) {
        std::string label = line.claim->figure;
        for (const auto& a : view->analysis.reading.absent)
          if (a.key == line.claim->figure) label = a.label;
        figures_ << Card{text(label), "\u2013", "", text(line.judgement.reason), line.judgement.verdict};
        continue;
      }
      const auto value = format_with_uncertainty(figure->value, figure->u, figure->unit);
      figures_ << Card{text(figure->label),    text(value.number),
                       text(value.unit),       below(line, value),
                       line.judgement.verdict, figure->at.empty() ? QString() : text(figure->key)};
    }
  }
  compose();
}

void FigureRow::show_cards(const QList<CursorCard>& cards) {
  cursors_.clear();
  for (const auto& c : cards) cursors_ << Card{c.label, c.number, c.unit, c.below, {}};
  compose();
}

void FigureRow::compose() {
  QStringList said;
  for (const auto& list : {figures_, cursors_})
    for (const auto& c : list) said << QString("%1: %2 %3 %4").arg(c.label, c.number, c.unit, c.below).simplified();
  setAccessibleDescription(said.join("; "));
  setToolTip(said.isEmpty()
                 ? "Claims put their figures here; A and B set cursors at the pointer"
                 : said.join("\n") +
                       "\n\u00b1 is the expanded uncertainty, k = 2. Click a figure to see where it was read");
  update();
}

void FigureRow::show_chosen(const QString& key) {
  chosen_ = key;
  update();
}

int FigureRow::card_width() const {
  return std::min(170, width() / int(std::max<qsizetype>(figures_.size() + cursors_.size(), 5)));
}

const FigureRow::Card* FigureRow::card_at(const QPoint& at) const {
  const auto index = at.x() / std::max(1, card_width());
  return index >= 0 && index < figures_.size() ? &figures_[index] : nullptr;
}

void FigureRow::mousePressEvent(QMouseEvent* event) {
  const auto* card = card_at(event->pos());
  if (card && !card->key.isEmpty()) emit figure_chosen(card->key == chosen_ ? QString() : card->key);
}

void FigureRow::mouseMoveEvent(QMouseEvent* event) {
  const auto* card = card_at(event->pos());
  setCursor(card && !card->key.isEmpty() ? Qt::PointingHandCursor : Qt::ArrowCursor);
}

void FigureRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const auto all = figures_ + cursors_;
  if (all.isEmpty()) {
    p.setPen(theme().slate);
    p.setFont(render::text_font(12));
    p.drawText(rect(), Qt::AlignVCenter | Qt::AlignLeft,
               taken_ ? "No claim asks for a figure here; the Figures lens has all. A and B set cursors at the pointer."
                      : "No figures yet. Space takes; A and B set cursors at the pointer.");
    return;
  }
  const int each = card_width();
  for (qsizetype i = 0; i < all.size(); ++i) {
    const auto& c = all[i];
    const int x = int(i) * each, room = each - 10;
    const bool chosen = !c.key.isEmpty() && c.key == chosen_;
    p.setPen(chosen ? theme().heron : theme().slate);
    p.setFont(render::text_font(11, chosen ? QFont::DemiBold : QFont::Normal));
    p.drawText(QRect(x, 0, room, 16), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(c.label, Qt::ElideRight, room));
    double size = 19;
    p.setFont(render::number_font(size, true));
    while (size > 12 && p.fontMetrics().horizontalAdvance(c.number) > room * 0.62)
      p.setFont(render::number_font(--size, true));
    const int number_width = p.fontMetrics().horizontalAdvance(c.number);
    p.setPen(theme().ink);
    p.drawText(QRect(x, 16, number_width + 2, 26), Qt::AlignLeft | Qt::AlignVCenter, c.number);
    p.setPen(theme().slate);
    p.setFont(render::number_font(12));
    const int unit_width = p.fontMetrics().horizontalAdvance(c.unit);
    p.drawText(QRect(x + number_width + 8, 18, unit_width + 4, 26), Qt::AlignLeft | Qt::AlignVCenter, c.unit);
    if (c.verdict && number_width + unit_width + 32 < room)
      render::draw_verdict(p, QRectF(x + number_width + unit_width + 18, 22, 13, 13), *c.verdict);
    p.setFont(render::number_font(11));
    p.setPen(theme().slate);
    p.drawText(QRect(x, 42, room, 16), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(c.below, Qt::ElideRight, room));
  }
}

}  // namespace heron::app
