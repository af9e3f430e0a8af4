#pragma once
#include <functional>

#include "app/look.h"
#include "render/plot_parts.h"

namespace heron::app {

/// Cursors A and B of a plot: hairlines that stand where the look has them, follow the mouse when they are taken hold
/// of, and are set and taken away by their keys. Made after the plot's PlotView, so that it is asked first.
class PlotCursors : public QObject {
 public:
  /// @param spares  whether a press there means something else; null: never
  PlotCursors(QCustomPlot* plot, Look* look, QList<QCPAxisRect*> rects,
              std::function<bool(const QPointF&)> spares = {});

  void set_rects(const QList<QCPAxisRect*>& rects);
  /// To where the look has them. @param shown  false: nothing is there to be read
  void place(bool shown = true);
  bool handle_key(int key);
  bool held() const { return held_; }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QCustomPlot* plot_;
  Look* look_;
  QList<QCPAxisRect*> rects_;
  std::function<bool(const QPointF&)> spares_;
  render::CursorLine *a_, *b_;
  render::CursorLine* held_ = nullptr;
};

}  // namespace heron::app
