#pragma once
#include "app/lenses/lens.h"

namespace heron::app {

/// How far the way up and the way down lie apart, over the rate of the sweep, for every take of the study: closes with
/// slowing, or does not.
class LoopLens : public Lens {
  Q_OBJECT

 public:
  explicit LoopLens(Desk* desk, QWidget* parent = nullptr);
  QCustomPlot* plot() override { return plot_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();

  QLabel* words_;
  QCustomPlot* plot_;
};

}  // namespace heron::app
