#include "plot_view.h"

#include <cmath>

namespace heron::app {

PlotView::PlotView(QCustomPlot* plot, std::function<void()> show_all)
    : QObject(plot), plot_(plot), show_all_(std::move(show_all)) {
  plot_->setInteraction(QCP::iRangeDrag, true);
  plot_->setMouseTracking(true);
  plot_->setFocusPolicy(Qt::ClickFocus);
  plot_->installEventFilter(this);
}

void PlotView::show_all() {
  remember();
  show_all_();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool PlotView::back() {
  if (views_.isEmpty()) return false;
  const auto [x, y] = views_.takeLast();
  plot_->xAxis->setRange(x);
  plot_->yAxis->setRange(y);
  plot_->replot(QCustomPlot::rpQueuedReplot);
  return true;
}

bool PlotView::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_) return false;
  switch (event->type()) {
    case QEvent::Wheel: {
      // A run of wheel steps is one view to go back to.
      constexpr int kRun = 600;  // ms
      const auto* wheel = static_cast<QWheelEvent*>(event);
      if (!since_zoom_.isValid() || since_zoom_.elapsed() > kRun) remember();
      since_zoom_.start();
      const double factor = std::pow(0.85, wheel->angleDelta().y() / 120.0);
      plot_->xAxis->scaleRange(factor, plot_->xAxis->pixelToCoord(wheel->position().x()));
      plot_->yAxis->scaleRange(factor, plot_->yAxis->pixelToCoord(wheel->position().y()));
      plot_->replot(QCustomPlot::rpQueuedReplot);
      return true;
    }
    case QEvent::MouseButtonDblClick:
      show_all();
      return true;
    case QEvent::MouseButtonPress:
      remember();
      return false;
    default:
      return false;
  }
}

}  // namespace heron::app
