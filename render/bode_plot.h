#pragma once
#include <qcustomplot.h>

#include "judge/claim.h"
#include "study/response/reduce.h"

namespace heron::render {

/// One curve of the plot and how it is told apart.
struct BodeCurve {
  const study::response::Curve* curve = nullptr;
  QColor colour;
  bool dashed = false;
  bool wake = false;  ///< drawn as a broad pale band behind the others
};

/// Gain over phase on one logarithmic frequency axis, with limit lines as forbidden ground.
class BodePlot : public QCustomPlot {
  Q_OBJECT

 public:
  explicit BodePlot(QWidget* parent = nullptr);

  /// Redraws everything. A view that somebody chose is kept; one that framed all frames all again.
  void show_curves(const QList<BodeCurve>& curves, const std::vector<judge::Mask>& masks);

  /// Frames all that is drawn, the span included where nothing is measured yet.
  void show_all();
  void set_span(double from, double to) { span_ = {from, to}; }

  QCPAxisRect* gain_rect() const { return gain_; }
  QCPAxisRect* phase_rect() const { return phase_; }

 private:
  bool framed() const;
  void add_curve(QCPAxisRect* rect, const BodeCurve& curve, const std::vector<double>& y);

  QCPAxisRect* gain_;
  QCPAxisRect* phase_;
  QList<QCPAbstractPlottable*> drawn_;
  QList<QCPAbstractItem*> ground_;
  QCPRange gain_range_, phase_range_, span_{10, 1e5}, x_range_;
  QCPRange framed_x_, framed_gain_, framed_phase_;
};

}  // namespace heron::render
