#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "bode_plot.h"
#include "render/plot_parts.h"
#include "response_view.h"
#include "study/response/cursors.h"

namespace heron::app {

/// What a plot over frequency is for.
enum class Over { gain, delay, impedance, comparison };

/// Curves over frequency: the take in view, those laid over it, the wake behind them; limit lines; what is expected;
/// cursors A and B.
class BodeLens : public Lens {
  Q_OBJECT

 public:
  explicit BodeLens(Desk* desk, QWidget* parent = nullptr, Over over = Over::gain);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return response_cards(*desk_); }

  BodePlot* bode() const { return plot_; }
  LookBar* bar() const { return bar_; }
  std::optional<double> cursor(char letter) const;
  void set_cursor(char letter, std::optional<double> frequency);
  void show_all() { looking_->show_all(); }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  void place_cursors();
  void mark_figure();
  BodeForm form() const;
  QList<BodeBand> bands() const;
  int nearest_point(const QPointF& at) const;

  Over over_;
  LookBar* bar_;
  BodePlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  QPointF pressed_;
  bool panned_ = false;
  bool stale_ = true;
  long long framed_study_ = 0;
  std::vector<std::shared_ptr<const study::response::Curve>> made_;  ///< ratios and differences that are drawn
};

}  // namespace heron::app
