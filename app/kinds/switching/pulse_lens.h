#pragma once
#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "app/lenses/record_plot.h"
#include "switching_view.h"

namespace heron::app {

/// The whole record of a shot over time, a panel a quantity; a click on an event enlarges it, a double click shows all.
class PulseLens : public Lens {
  Q_OBJECT

 public:
  explicit PulseLens(Desk* desk, QWidget* parent = nullptr);
  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  void show_point(int index) override;
  RecordPlot* record_plot() const { return plot_; }

 protected:
  void showEvent(QShowEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct Ready {
    std::vector<study::switching::ReadShotPtr> shots;
    /// Of the wake and of the takes that lie over it.
    struct Other {
      int number = 0;
      bool wake = false;
      std::vector<study::switching::ReadShotPtr> shots;
    };
    std::vector<Other> others;
  };
  void reload();
  void draw();
  void step(int by);
  void place_cursors();
  void mark_figure();

  LookBar* bar_;
  class QLabel* why_;
  RecordPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  Ready ready_;
  study::switching::ReadShotPtr shot_;
  int chosen_ = -1;
  QPointF pressed_;
  QList<CursorCard> cards_;
  Aside working_{this};
};

}  // namespace heron::app
