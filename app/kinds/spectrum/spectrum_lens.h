#pragma once
#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "point_words.h"
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
  void show_point(int index) override { words_.show_point(index); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void reload();
  void draw(const std::vector<SpectrumCurve>& curves);
  void place_cursors();
  void mark_figure();
  std::vector<SpectrumLimit> limits() const;

  LookBar* bar_;
  SpectrumPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  std::vector<SpectrumCurve> curves_;
  PointWords words_{[this] { reload(); }};
  long long framed_ = -1;                ///< study that the view was made for
  QList<CursorCard> cards_;
  Aside working_{this};
};

}  // namespace heron::app
