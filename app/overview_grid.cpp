#include "overview_grid.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>
#include <algorithm>

#include "app/text.h"
#include "base/quantity.h"
#include "margin.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

namespace {
constexpr int kLine = 34, kHead = 30, kWords = 300, kCell = 128;  ///< pixels
}

OverviewGrid::OverviewGrid(QWidget* parent) : QAbstractScrollArea(parent) {
  setFrameShape(QFrame::NoFrame);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName("Claims by unit");
  viewport()->setMouseTracking(true);
}

void OverviewGrid::show_lines(std::shared_ptr<const run::Overview> overview, std::vector<Line> lines, bool named) {
  // What was chosen stays chosen, wherever it stands now.
  const int row = chosen_row();
  overview_ = std::move(overview);
  lines_ = std::move(lines);
  named_ = named;
  line_ = -1;
  for (int k = 0; k < int(lines_.size()); ++k)
    if (row >= 0 && lines_[std::size_t(k)].row == row) line_ = k;
  if (overview_ && unit_ >= int(overview_->units.size())) unit_ = -1;
  arrange();
  viewport()->update();
}

int OverviewGrid::chosen_row() const { return line_ >= 0 && line_ < int(lines_.size()) ? lines_[std::size_t(line_)].row : -1; }

void OverviewGrid::arrange() {
  const int units = overview_ ? int(overview_->units.size()) : 0;
  verticalScrollBar()->setRange(0, std::max(0, int(lines_.size()) * kLine + kHead - viewport()->height()));
  verticalScrollBar()->setPageStep(viewport()->height());
  verticalScrollBar()->setSingleStep(kLine);
  horizontalScrollBar()->setRange(0, std::max(0, kWords + units * kCell - viewport()->width()));
  horizontalScrollBar()->setPageStep(viewport()->width());
  horizontalScrollBar()->setSingleStep(kCell);
}

void OverviewGrid::resizeEvent(QResizeEvent*) {
  arrange();
  keep_in_view();
}

int OverviewGrid::line_at(int y) const {
  const int k = y < kHead ? -1 : (y - kHead + verticalScrollBar()->value()) / kLine;
  return k < int(lines_.size()) ? k : -1;
}
int OverviewGrid::unit_at(int x) const {
  const int k = x < kWords ? -1 : (x - kWords + horizontalScrollBar()->value()) / kCell;
  return overview_ && k < int(overview_->units.size()) ? k : -1;
}
QRect OverviewGrid::cell_rect(int line, int unit) const {
  return {kWords + unit * kCell - horizontalScrollBar()->value(), kHead + line * kLine - verticalScrollBar()->value(), kCell, kLine};
}

void OverviewGrid::paintEvent(QPaintEvent*) {
  QPainter p(viewport());
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(viewport()->rect(), theme().sheet);
  if (!overview_) return;
  const int top = verticalScrollBar()->value(), left = horizontalScrollBar()->value(), units = int(overview_->units.size());
  const int first = std::max(0, top / kLine), last = std::min(int(lines_.size()), (top + viewport()->height()) / kLine + 1);
  const int from = std::max(0, left / kCell), to = std::min(units, (left + viewport()->width() - kWords) / kCell + 1);
  p.setClipRect(QRect(0, kHead, viewport()->width(), viewport()->height()));
  for (int k = first; k < last; ++k) {
    const auto& line = lines_[std::size_t(k)];
    const QRect whole(0, kHead + k * kLine - top, viewport()->width(), kLine);
    if (line.row < 0) {
      p.setPen(theme().slate);
      p.setFont(render::text_font(12, QFont::DemiBold));
      p.drawText(whole.adjusted(4, 0, 0, -5), Qt::AlignLeft | Qt::AlignBottom, (line.section.isEmpty() ? QString() : line.folded ? QString("\u25b8 ") : QString("\u25be ")) + line.heading);
      continue;
    }
    const auto& row = overview_->rows[std::size_t(line.row)];
    if (k == line_) p.fillRect(whole, theme().mist);
    p.save();
    p.setClipRect(QRect(kWords, kHead, viewport()->width() - kWords, viewport()->height()));
    for (int u = from; u < to; ++u) {
      const QRect cell = cell_rect(k, u);
      const auto& one = row.cells[std::size_t(u)];
      if (k == line_ && u == unit_) {
        p.setPen(QPen(theme().heron, 1.6));
        p.setBrush(theme().sheet);
        p.drawRect(QRectF(cell).adjusted(2, 2, -2, -2));
      }
      if (!one) {
        p.setPen(theme().line);
        p.drawText(cell, Qt::AlignCenter, "\u00b7");
        continue;
      }
      const auto& j = one->judgement;
      render::draw_verdict(p, QRectF(cell.left() + 8, cell.top() + 5, 12, 12), j.verdict);
      p.setPen(render::verdict_colour(j.verdict));
      p.setFont(render::number_font(11));
      const QString value = j.value ? text(format_with_uncertainty(*j.value, j.u, j.unit).plain()) : QString("\u2013");
      p.drawText(cell.adjusted(26, 2, -12, -14), Qt::AlignRight | Qt::AlignVCenter, p.fontMetrics().elidedText(value, Qt::ElideRight, kCell - 38));
      draw_margin(p, QRectF(cell.left() + 26, cell.top() + 22, kCell - 38, 6), j);
      if (one->changed()) {
        // What it was, small and pale beneath what it is.
        p.setOpacity(0.55);
        render::draw_verdict(p, QRectF(cell.left() + 10, cell.top() + 21, 8, 8), one->other->judgement.verdict);
        p.setOpacity(1);
      }
      if (!one->doubts.empty()) {
        p.setPen(Qt::NoPen);
        p.setBrush(theme().bill);
        p.drawPolygon(QPolygonF({QPointF(cell.right() - 11, cell.top() + 3), QPointF(cell.right() - 3, cell.top() + 3), QPointF(cell.right() - 3, cell.top() + 11)}));
      }
    }
    p.restore();
    p.setPen(theme().ink);
    p.setFont(render::text_font(12.5));
    const auto words = (named_ ? text(row.study_name) + ": " : QString()) + text(row.text);
    p.drawText(QRect(18, whole.top(), kWords - 26, kLine), Qt::AlignLeft | Qt::AlignVCenter, p.fontMetrics().elidedText(words, Qt::ElideRight, kWords - 26));
  }
  p.setClipping(false);
  p.fillRect(QRect(0, 0, viewport()->width(), kHead), theme().sheet);
  p.setFont(render::text_font(12.5, QFont::Medium));
  p.setPen(theme().ink);
  p.setClipRect(QRect(kWords, 0, viewport()->width() - kWords, kHead));
  for (int u = from; u < to; ++u) p.drawText(QRect(cell_rect(0, u).left(), 0, kCell - 12, kHead - 4), Qt::AlignRight | Qt::AlignVCenter, text(overview_->units[std::size_t(u)]));
  p.setClipping(false);
  p.setPen(theme().line);
  p.drawLine(0, kHead - 1, viewport()->width(), kHead - 1);
}

void OverviewGrid::choose(int line, int unit) {
  line_ = std::clamp(line, -1, int(lines_.size()) - 1);
  unit_ = overview_ ? std::clamp(unit, -1, int(overview_->units.size()) - 1) : -1;
  keep_in_view();
  viewport()->update();
  emit cell_chosen();
}

void OverviewGrid::keep_in_view() {
  if (line_ < 0) return;
  const int y = line_ * kLine, x = std::max(0, unit_) * kCell;
  auto* v = verticalScrollBar();
  auto* h = horizontalScrollBar();
  const int tall = viewport()->height() - kHead, wide = viewport()->width() - kWords;
  v->setValue(std::clamp(v->value(), y + kLine - tall, y));
  h->setValue(std::clamp(h->value(), x + kCell - wide, x));
}

void OverviewGrid::mousePressEvent(QMouseEvent* event) {
  const int line = line_at(int(event->position().y()));
  if (line < 0) return;
  if (lines_[std::size_t(line)].row < 0) {
    emit fold(lines_[std::size_t(line)].section);
    return;
  }
  choose(line, std::max(0, unit_at(int(event->position().x()))));
}

void OverviewGrid::mouseDoubleClickEvent(QMouseEvent* event) {
  if (line_at(int(event->position().y())) == line_ && chosen_row() >= 0) emit cell_opened();
}

void OverviewGrid::keyPressEvent(QKeyEvent* event) {
  const auto move = [&](int by) {
    int line = line_;
    do line += by;
    while (line >= 0 && line < int(lines_.size()) && lines_[std::size_t(line)].row < 0);
    if (line >= 0 && line < int(lines_.size())) choose(line, std::max(0, unit_));
  };
  switch (event->key()) {
    case Qt::Key_Down: move(1); return;
    case Qt::Key_Up: move(-1); return;
    case Qt::Key_Left: choose(line_, std::max(0, unit_ - 1)); return;
    case Qt::Key_Right: choose(line_, unit_ + 1); return;
    case Qt::Key_Home: line_ = -1; move(1); return;
    case Qt::Key_End: line_ = int(lines_.size()); move(-1); return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (chosen_row() >= 0) emit cell_opened();
      return;
    default: QAbstractScrollArea::keyPressEvent(event);
  }
}

QString OverviewGrid::words_of(int line, int unit) const {
  if (!overview_ || line < 0 || lines_[std::size_t(line)].row < 0) return {};
  const auto& row = overview_->rows[std::size_t(lines_[std::size_t(line)].row)];
  QString out = text(row.study_name) + ": " + text(row.text);
  if (unit < 0) return out;
  const auto& cell = row.cells[std::size_t(unit)];
  if (!cell) return out + "\n" + text(overview_->units[std::size_t(unit)]) + ": not taken";
  out += QString("\n%1, take %2, %3: ").arg(text(cell->unit)).arg(cell->number).arg(text(cell->started)) + text(judge::verdict_words(cell->judgement.verdict)) + judgement_words(cell->judgement);
  if (cell->other) out += "\nAgainst " + text(cell->other->of) + ": " + text(judge::verdict_words(cell->other->judgement.verdict)) + judgement_words(cell->other->judgement);
  for (const auto& d : cell->doubts) out += "\nDoubt: " + text(d);
  return out;
}

bool OverviewGrid::viewportEvent(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto& help = *static_cast<QHelpEvent*>(event);
    QToolTip::showText(help.globalPos(), words_of(line_at(help.pos().y()), unit_at(help.pos().x())), viewport());
    return true;
  }
  return QAbstractScrollArea::viewportEvent(event);
}

}  // namespace heron::app
