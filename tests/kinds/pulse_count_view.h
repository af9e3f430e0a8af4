#pragma once
#include "app/kinds/kind_view.h"
#include "kinds/pulse_count.h"

namespace heron::pulse_count {

/// Crossings over pulses, as dots.
class CountLens : public app::Lens {
 public:
  CountLens(app::Desk* desk, QWidget* parent);
  QCustomPlot* plot() override { return plot_; }
  int drawn() const { return plot_->graph(0)->dataCount(); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  QCustomPlot* plot_;
};

const app::KindView& view();

}  // namespace heron::pulse_count
