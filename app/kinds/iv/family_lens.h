#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "family_plot.h"
#include "render/plot_parts.h"

namespace heron::app {

/// Curves of current and voltage, and of what follows from them: the take in view, those laid over it, the wake behind,
/// ratings as hatched ground, datasheet points as bars. Cursors read every curve they cross; the fits behind figures
/// are drawn with the range they rest on, which can be dragged.
class FamilyLens : public Lens {
  Q_OBJECT

 public:
  /// What a lens stands for at first.
  struct Over {
    QString name;
    std::string y;                 ///< the key of what stands upright: see study/iv/axes.h
    bool slope_of_transfer = false;  ///< the transconductance below a transfer curve
  };
  FamilyLens(const Over& over, Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  FamilyPlot* family_plot() const { return plot_; }
  LookBar* bar() const { return bar_; }
  void set_logarithmic(bool on);
  void show_fits(bool on);
  void set_against_wake(bool on);
  /// What a lower plot shows over the same x; empty for none.
  void set_below(const std::string& key);
  /// Of what there is, or a formula; what went wrong, empty when it is shown.
  QString set_axis(Qt::Orientation which, const std::string& key);
  void set_cursor(char letter, std::optional<double> voltage);
  void show_all() { looking_->show_all(); }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  void make_bar();
  void redraw();
  void place_cursors();
  void place_range(const study::iv::Family& family);
  void place_axes();
  void place_below();
  bool compared() const;
  const study::iv::Family& family() const;
  std::shared_ptr<const TakeView> view() const;
  const study::iv::Curve* curve_in_focus(const study::iv::Family& family) const;
  QString read_out(const QPointF& pixel) const;
  std::vector<DatasheetMark> marks() const;

  bool slope_of_transfer_;
  std::string first_, x_ = "voltage", y_;  ///< keys: of what the lens is for, and as chosen
  std::optional<std::string> below_;       ///< as chosen; else what the study suggests
  LookBar* bar_;
  FamilyPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  render::CursorLine *from_, *to_;  ///< the range that is analysed
  render::CursorLine* grabbed_ = nullptr;
  std::optional<double> focus_step_;  ///< of the curve that cursors speak of
  QList<CursorCard> cards_;  ///< what the cursors read
  bool fits_ = false, against_ = false, logarithmic_ = false, stale_ = true;
};

}  // namespace heron::app
