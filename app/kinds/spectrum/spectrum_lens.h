#pragma once
#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "spectrum_plot.h"

namespace heron::app {

/// What a record contains by frequency: its fundamental, harmonics and noise named, the wake and other takes behind, limits as
/// hatched ground. Cursors catch peaks.
class SpectrumLens : public Lens {
  Q_OBJECT

 public:
  explicit SpectrumLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  void show_point(int index) override;

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void reload();
  void step(int by);
  void draw(const std::vector<SpectrumCurve>& curves);
  void place_cursors();
  void mark_figure();
  std::vector<SpectrumLimit> limits() const;

  LookBar* bar_;
  SpectrumPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  std::vector<SpectrumCurve> curves_;
  std::vector<std::string> quantities_;  ///< of the take in view
  std::string quantity_;                 ///< that is shown; empty: the first
  std::vector<std::pair<int, QString>> points_;  ///< of a sweep: which, and where
  int point_ = -1;                       ///< of a sweep, that is shown; none of them: the last
  long long framed_ = -1;                ///< study that the view was made for
  QList<CursorCard> cards_;
  Aside working_{this};
};

}  // namespace heron::app
