#include "plot_view.h"

#include <cmath>

namespace heron::app {
namespace {

/// False where no more can be told apart, or the axis would leave what numbers can hold.
bool zoom_axis(QCPAxis& axis, double centre, double factor) {
  const auto range = axis.range();
  QCPRange wanted;
  if (axis.scaleType() == QCPAxis::stLogarithmic) {
    constexpr double kLeastRatio = 1.0005, kLowest = 1e-15, kHighest = 1e15;
    wanted = QCPRange(centre * std::pow(range.lower / centre, factor), centre * std::pow(range.upper / centre, factor));
    if (wanted.upper / wanted.lower < kLeastRatio || wanted.lower < kLowest || wanted.upper > kHighest) return false;
  } else {
    wanted = QCPRange(centre + (range.lower - centre) * factor, centre + (range.upper - centre) * factor);
    const double largest = std::max(std::abs(wanted.lower), std::abs(wanted.upper));
    if (!(wanted.size() > 1e-12 * largest) || largest > 1e15) return false;
  }
  axis.setRange(wanted);
  return true;
}

}  // namespace

PlotView::PlotView(QCustomPlot* plot, std::function<void()> show_all, Wheel wheel, QList<QCPAxisRect*> rects)
    : QObject(plot), plot_(plot), show_all_(std::move(show_all)), wheel_(wheel), rects_(std::move(rects)) {
  if (rects_.isEmpty()) rects_ = {plot_->axisRect()};
  plot_->setInteraction(QCP::iRangeDrag, true);
  plot_->setMouseTracking(true);
  plot_->setFocusPolicy(Qt::ClickFocus);
  plot_->installEventFilter(this);
}

void PlotView::set_rects(QList<QCPAxisRect*> rects) {
  if (rects == rects_) return;
  rects_ = std::move(rects);
  views_.clear();
}

QList<QCPAxis*> PlotView::axes() const {
  QList<QCPAxis*> out;
  for (auto* rect : rects_) out << rect->axis(QCPAxis::atBottom) << rect->axes(QCPAxis::atLeft);
  return out;
}

PlotView::View PlotView::view() const {
  View out;
  for (auto* axis : axes()) out << axis->range();
  return out;
}

void PlotView::remember() {
  constexpr int kMost = 100;
  if (!views_.isEmpty() && views_.last() == view()) return;
  views_ << view();
  if (views_.size() > kMost) views_.removeFirst();
}

void PlotView::show_all() {
  remember();
  show_all_();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool PlotView::back() {
  while (!views_.isEmpty() && views_.last() == view()) views_.removeLast();
  if (views_.isEmpty()) return false;
  const auto before = views_.takeLast();
  const auto all = axes();
  for (qsizetype k = 0; k < all.size() && k < before.size(); ++k) all[k]->setRange(before[k]);
  plot_->replot(QCustomPlot::rpQueuedReplot);
  return true;
}

void PlotView::zoom(const QWheelEvent& wheel) {
  auto* rect = plot_->axisRectAt(wheel.position());
  if (!rect || !rects_.contains(rect)) return;
  // A run of wheel steps is one view to go back to.
  constexpr int kRun = 600;  // ms
  if (!since_zoom_.isValid() || since_zoom_.elapsed() > kRun) remember();
  since_zoom_.start();
  // With Shift some systems turn the wheel sideways.
  const int turned = wheel.angleDelta().y() != 0 ? wheel.angleDelta().y() : wheel.angleDelta().x();
  const double factor = std::pow(0.85, turned / 120.0);
  const bool upright = wheel.modifiers() & Qt::ShiftModifier, both = wheel_ == Wheel::plane;
  auto* x = rect->axis(QCPAxis::atBottom);
  bool changed = false;
  if (both || !upright) changed = zoom_axis(*x, x->pixelToCoord(wheel.position().x()), factor);
  if ((both || upright) && rect->rangeDrag().testFlag(Qt::Vertical))
    for (auto* y : rect->axes(QCPAxis::atLeft)) changed = zoom_axis(*y, y->pixelToCoord(wheel.position().y()), factor) || changed;
  if (changed) plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool PlotView::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_) return false;
  switch (event->type()) {
    case QEvent::Wheel:
      zoom(*static_cast<const QWheelEvent*>(event));
      return true;
    case QEvent::MouseButtonDblClick:
      show_all();
      return true;
    case QEvent::MouseButtonPress:
      if (static_cast<const QMouseEvent*>(event)->button() == Qt::LeftButton) remember();
      return false;
    default:
      return false;
  }
}

}  // namespace heron::app
