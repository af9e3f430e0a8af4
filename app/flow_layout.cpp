#include "flow_layout.h"

#include <QWidget>

namespace heron::app {

FlowLayout::FlowLayout(int word_space, int line_space, QWidget* parent)
    : QLayout(parent), word_space_(word_space), line_space_(line_space) {}

FlowLayout::~FlowLayout() {
  while (auto* item = takeAt(0)) delete item;
}

QSize FlowLayout::minimumSize() const {
  QSize size;
  for (const auto* item : items_) size = size.expandedTo(item->minimumSize());
  const auto m = contentsMargins();
  return size + QSize(m.left() + m.right(), m.top() + m.bottom());
}

int FlowLayout::place(const QRect& rect, bool apply) const {
  const auto m = contentsMargins();
  const QRect area = rect.adjusted(m.left(), m.top(), -m.right(), -m.bottom());
  int x = area.x(), y = area.y(), line = 0;
  for (qsizetype i = 0; i < items_.size(); ++i) {
    auto* item = items_[i];
    if (item->widget() && item->widget()->isHidden()) continue;
    const QSize size = item->sizeHint();
    const bool attached = item->widget() && item->widget()->property("attached").toBool();
    // A word takes the punctuation after it along to the next line.
    int needed = size.width();
    if (i + 1 < items_.size() && items_[i + 1]->widget() && items_[i + 1]->widget()->property("attached").toBool())
      needed += items_[i + 1]->sizeHint().width();
    if (x > area.x() && !attached) x += word_space_;
    if (!attached && x > area.x() && x + needed > area.right() + 1) {
      x = area.x();
      y += line + line_space_;
      line = 0;
    }
    if (apply) item->setGeometry(QRect(QPoint(x, y), size));
    x += size.width();
    line = std::max(line, size.height());
  }
  return y + line - rect.y() + m.bottom();
}

}  // namespace heron::app
