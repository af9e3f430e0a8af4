#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "app/lenses/record_plot.h"

namespace heron::app {

/// The records of the take in view over time, those laid over it, the wake behind; cursors read every quantity, and what
/// lies between them.
class RecordLens : public Lens {
  Q_OBJECT

 public:
  explicit RecordLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  RecordPlot* record_plot() const { return plot_; }
  void set_panels(Panels panels);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  void place_cursors();
  void mark_figure();

  LookBar* bar_;
  RecordPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  Panels panels_ = Panels::each;
  QList<CursorCard> cards_;
  bool stale_ = true;
};

}  // namespace heron::app
