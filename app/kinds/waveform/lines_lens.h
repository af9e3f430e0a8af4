#pragma once
#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_view.h"
#include "signal/line_spectrum.h"
#include "study/waveforms.h"

namespace heron::app {

/// A plain look at what a record holds by frequency: between the cursors where both stand, else all of it. Figures of
/// distortion are another kind's.
class LinesLens : public Lens {
  Q_OBJECT

 public:
  explicit LinesLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override { return key == Qt::Key_Backspace && looking_->back(); }
  QList<CursorCard> cards() const override { return cards_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  struct Lines {
    std::string quantity, unit;
    signal::LineSpectrum spectrum;
    std::size_t samples = 0;
  };
  struct Drawn {
    QString trouble = {};
    std::vector<Lines> all = {};
    bool cut = false;  ///< the record is longer than what was looked at
  };
  void reload();
  void draw();
  void frame();

  LookBar* bar_;
  QCustomPlot* plot_;
  PlotView* looking_;
  signal::Window window_ = signal::Window::hann;
  bool between_cursors_ = false, logarithmic_ = false;
  Drawn drawn_;
  int number_ = 1;  ///< of the take
  long long framed_ = -1;  ///< study that the view was made for
  QList<CursorCard> cards_;
  Aside working_{this};
};

}  // namespace heron::app
