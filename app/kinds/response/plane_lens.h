#pragma once
#include "app/lenses/lens.h"
#include "response_view.h"
#include "app/lenses/plot_view.h"
#include "plane_plot.h"

namespace heron::app {

/// The takes in view as lines in a plane: Nyquist or Nichols. Cursors stand at the same frequencies as in every lens.
class PlaneLens : public Lens {
  Q_OBJECT

 public:
  PlaneLens(Plane plane, Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return response_cards(*desk_); }
  void show_all();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  void mark();
  std::shared_ptr<const TakeView> view() const;

  PlanePlot* plot_;
  PlotView* looking_;
  bool stale_ = true;
};

}  // namespace heron::app
