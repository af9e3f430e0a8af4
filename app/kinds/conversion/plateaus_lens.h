#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "app/lenses/record_plot.h"
#include "conversion_kind_view.h"

namespace heron::app {

/// Samples over time: of a record in which line or load steps, with the parts that are averaged drawn as bars and what they
/// differ by said beside; of a point those that it was read from.
class PlateausLens : public Lens {
  Q_OBJECT

 public:
  explicit PlateausLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  void show_point(int index) override;
  RecordPlot* record_plot() const { return plot_; }
  int bars() const { return int(bars_.size()); }
  /// Instead of a plot, why there is none.
  QString trouble() const { return why_->isVisibleTo(this) ? why_->text() : QString(); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  struct Choice {
    study::WaveformsPtr record;
    const study::conversion::SteppedRecord* stepped = nullptr;
    int point = 0;
    QString words;
  };
  std::vector<Choice> choices(const study::conversion::ReducedConversion& reduced) const;
  void redraw();
  void step(int by);
  void tell(const Choice& one);
  void place_cursors();

  LookBar* bar_;
  class QLabel* why_;
  RecordPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  QList<QCPAbstractItem*> bars_;
  int chosen_ = -1;
  QString said_;
  study::WaveformsPtr record_;
  QList<CursorCard> told_, cards_;
};

}  // namespace heron::app
