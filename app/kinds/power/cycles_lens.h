#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "app/lenses/record_plot.h"
#include "power_kind_view.h"

namespace heron::app {

/// Voltages and currents of all phases over time, the whole cycles that are read marked at both ends.
class CyclesLens : public Lens {
  Q_OBJECT

 public:
  explicit CyclesLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  void show_point(int index) override;
  RecordPlot* record_plot() const { return plot_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  void step(int by);
  void place_cursors();
  study::WaveformsPtr record() const;

  LookBar* bar_;
  RecordPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  Panels panels_ = Panels::by_unit;
  int chosen_ = -1;
  QList<CursorCard> cards_;
};

}  // namespace heron::app
