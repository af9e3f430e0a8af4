#pragma once
#include <qcustomplot.h>
#include <QElapsedTimer>

#include <functional>

namespace heron::app {

/// How a plot of two plain axes is looked around in: the wheel zooms at the pointer, a double click shows all, dragging
/// moves, and each view that was left can be gone back to. A lens that wants an event for itself filters before this.
class PlotView : public QObject {
 public:
  PlotView(QCustomPlot* plot, std::function<void()> show_all);

  void show_all();
  /// Back to the view before; false where there is none.
  bool back();
  void forget() { views_.clear(); }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void remember() { views_ << std::pair{plot_->xAxis->range(), plot_->yAxis->range()}; }

  QCustomPlot* plot_;
  std::function<void()> show_all_;
  QList<std::pair<QCPRange, QCPRange>> views_;
  QElapsedTimer since_zoom_;
};

}  // namespace heron::app
