#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "app/lenses/record_plot.h"
#include "conversion_kind_view.h"

namespace heron::app {

/// Samples over time: of a record in which line or load steps, with the parts that are averaged drawn as bars and what they
/// differ by said beside; of a point those that it was read from, or how it went while the point was waited for.
class PlateausLens : public Lens {
  Q_OBJECT

 public:
  explicit PlateausLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  void show_point(int index) override;
  RecordPlot* record_plot() const { return plot_; }
  /// Names of what is drawn.
  QStringList names() const;
  int bars() const { return int(bars_.size()); }
  /// Instead of a plot, why there is none.
  QString trouble() const { return why_->isVisibleTo(this) ? why_->text() : QString(); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  struct Choice {
    study::WaveformsPtr record;
    const study::conversion::SteppedRecord* stepped = nullptr;
    const study::conversion::Evidence* evidence = nullptr;  ///< of a point
    int point = 0;
    QString words;
  };
  std::vector<Choice> choices(const study::conversion::ReducedConversion& reduced) const;
  void redraw();
  void step(int by);
  void tell(const Choice& one);
  void tell_way(const study::conversion::Evidence& evidence);
  void add_bar(QCPAxisRect* panel, double from, double to, double at);
  void place_cursors();

  LookBar* bar_;
  class QLabel* why_;
  RecordPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  QList<QCPAbstractItem*> bars_;
  int chosen_ = -1, shown_ = -1;
  QString said_;
  bool way_ = false;        ///< how a point was waited for is wanted, instead of its samples
  bool shows_way_ = false;  ///< and is there, or all that is
  std::vector<study::TracePtr> drawn_;
  QList<CursorCard> told_, cards_;
};

}  // namespace heron::app
