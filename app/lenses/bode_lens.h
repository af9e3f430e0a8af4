#pragma once
#include "lens.h"
#include "render/bode_plot.h"
#include "render/plot_parts.h"
#include "study/response/cursors.h"

namespace heron::app {

/// Gain and phase over frequency: the take in view, those laid over it, the wake behind them; limit lines; cursors A
/// and B.
class BodeLens : public Lens {
  Q_OBJECT

 public:
  explicit BodeLens(Session* session, QWidget* parent = nullptr);

  QString title() const override { return "Bode"; }
  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;

  std::optional<double> cursor(char letter) const;
  void set_cursor(char letter, std::optional<double> frequency);
  void show_all();
  bool zoom_back();

 signals:
  void cursors_moved(const std::optional<study::response::CursorReading>& a,
                     const std::optional<study::response::CursorReading>& b);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct View {
    QCPRange x, gain, phase;
    bool operator==(const View&) const = default;
  };
  void redraw();
  void tell_cursors();
  View view() const;
  void set_view(const View& view);
  void remember_view();
  void zoom(QWheelEvent* event);
  int nearest_point(const QPointF& at) const;

  render::BodePlot* plot_;
  render::CursorLine* a_;
  render::CursorLine* b_;
  render::CursorLine* grabbed_ = nullptr;
  QList<View> views_;
  QElapsedTimer since_zoom_;
  QPointF pressed_;
  bool panned_ = false;
};

}  // namespace heron::app
