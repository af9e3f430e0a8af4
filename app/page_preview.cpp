#include "page_preview.h"

#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>

#include "render/theme.h"

namespace heron::app {

namespace {
constexpr double kGap = 14;      ///< pixels around a page
constexpr double kWidest = 860;  ///< wider its lines are hard to follow
}  // namespace

PagePreview::PagePreview(QWidget* parent) : QAbstractScrollArea(parent) {
  setFrameShape(QFrame::NoFrame);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName("Pages of the report");
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
}

void PagePreview::show_report(std::shared_ptr<render::PagedReport> report) {
  report_ = std::move(report);
  settle();
  viewport()->update();
}

double PagePreview::scale() const { return report_ ? std::min(viewport()->width() - 2 * kGap, kWidest) / report_->sheet.width() : 1; }

double PagePreview::page_height() const { return report_ ? report_->sheet.height() * scale() + kGap : 0; }

void PagePreview::settle() {
  const double whole = report_ ? page_height() * report_->pages + kGap : 0;
  verticalScrollBar()->setPageStep(viewport()->height());
  verticalScrollBar()->setSingleStep(40);
  verticalScrollBar()->setRange(0, std::max(0, int(std::ceil(whole)) - viewport()->height()));
}

void PagePreview::show_page(int page) { verticalScrollBar()->setValue(int(page * page_height())); }

void PagePreview::resizeEvent(QResizeEvent*) { settle(); }

void PagePreview::keyPressEvent(QKeyEvent* event) {
  switch (event->key()) {
    case Qt::Key_Home:
      return verticalScrollBar()->setValue(0);
    case Qt::Key_End:
      return verticalScrollBar()->setValue(verticalScrollBar()->maximum());
    default:
      QAbstractScrollArea::keyPressEvent(event);
  }
}

void PagePreview::paintEvent(QPaintEvent*) {
  QPainter painter(viewport());
  painter.fillRect(viewport()->rect(), render::theme().silt);
  if (!report_) return;
  painter.setRenderHint(QPainter::Antialiasing);
  const double top = verticalScrollBar()->value();
  const int first = std::max(0, int(top / page_height())), last = std::min(report_->pages - 1, int((top + viewport()->height()) / page_height()));
  for (int page = first; page <= last; ++page) {
    painter.save();
    painter.translate((viewport()->width() - report_->sheet.width() * scale()) / 2, kGap + page * page_height() - top);
    painter.scale(scale(), scale());
    painter.fillRect(QRectF(QPointF(0, 0), report_->sheet), Qt::white);
    painter.setPen(QPen(render::theme().line, 1));
    painter.drawRect(QRectF(QPointF(0, 0), report_->sheet));
    render::paint_page(painter, *report_, page);
    painter.restore();
  }
}

}  // namespace heron::app
