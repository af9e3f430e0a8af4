#include "plot_cursors.h"

#include <cmath>

namespace heron::app {

PlotCursors::PlotCursors(QCustomPlot* plot, Look* look, QList<QCPAxisRect*> rects,
                         std::function<bool(const QPointF&)> spares)
    : QObject(plot), plot_(plot), look_(look), rects_(std::move(rects)), spares_(std::move(spares)) {
  a_ = new render::CursorLine(plot_, rects_, "A");
  b_ = new render::CursorLine(plot_, rects_, "B");
  for (auto* line : {a_, b_}) {
    if (plot_->layer("cursors")) line->setLayer("cursors");
    line->setVisible(false);
  }
  plot_->installEventFilter(this);
}

void PlotCursors::set_rects(const QList<QCPAxisRect*>& rects) {
  rects_ = rects;
  for (auto* line : {a_, b_}) line->set_rects(rects);
}

void PlotCursors::place(bool shown) {
  for (const auto& [letter, line] : {std::pair{'A', a_}, {'B', b_}}) {
    const auto at = look_->cursor(letter);
    line->setVisible(shown && at);
    if (at) line->set_position(*at);
  }
}

bool PlotCursors::handle_key(int key) {
  if (key != Qt::Key_A && key != Qt::Key_B) return false;
  constexpr double kSame = 2;  // pixels
  const char letter = key == Qt::Key_A ? 'A' : 'B';
  const QPoint at = plot_->mapFromGlobal(QCursor::pos());
  auto* x = rects_.first()->axis(QCPAxis::atBottom);
  bool inside = false;
  for (auto* rect : rects_) inside = inside || rect->rect().contains(at);
  // Away from the plot the key puts its cursor a third in from its own side.
  const auto whole = rects_.first()->rect();
  const double pixel = inside ? at.x() : whole.left() + whole.width() * (key == Qt::Key_A ? 1.0 / 3 : 2.0 / 3);
  // Pressed again on its own line, the cursor goes.
  if (const auto now = look_->cursor(letter); now && std::abs(x->coordToPixel(*now) - pixel) < kSame)
    look_->set_cursor(letter, std::nullopt);
  else
    look_->set_cursor(letter, x->pixelToCoord(pixel));
  return true;
}

bool PlotCursors::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_) return false;
  switch (event->type()) {
    case QEvent::MouseButtonPress: {
      constexpr double kGrab = 6;  // pixels
      const auto* mouse = static_cast<const QMouseEvent*>(event);
      if (mouse->button() != Qt::LeftButton) return false;
      for (auto* line : {a_, b_})
        if (const double away = line->selectTest(mouse->position(), false);
            line->visible() && away >= 0 && away < kGrab && !(spares_ && spares_(mouse->position())))
          held_ = line;
      return held_;
    }
    case QEvent::MouseMove:
      if (!held_) return false;
      look_->set_cursor(held_ == a_ ? 'A' : 'B',
                        rects_.first()->axis(QCPAxis::atBottom)->pixelToCoord(static_cast<const QMouseEvent*>(event)->position().x()));
      return true;
    case QEvent::MouseButtonRelease:
      return std::exchange(held_, nullptr);
    default:
      return false;
  }
}

}  // namespace heron::app
