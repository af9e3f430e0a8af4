#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/plot_view.h"

namespace heron::app {

/// What every source gave and read, against the bench's clock: one lane a quantity, what was asked behind the swept
/// one.
class TimeLens : public Lens {
  Q_OBJECT

 public:
  explicit TimeLens(Desk* desk, QWidget* parent = nullptr);
  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  void make_lanes(int count);
  void name_lane(int lane, const QString& name);

  QCustomPlot* plot_;
  PlotView* looking_ = nullptr;
  QList<QCPAxisRect*> lanes_;
};

}  // namespace heron::app
