#pragma once
#include "bode_plot.h"

namespace heron::app {

/// The two planes in which a response is one line along which frequency runs.
enum class Plane {
  nyquist,  ///< real and imaginary part, equal axes, unit circle
  nichols,  ///< gain over phase, with the closed loop's contours behind
};

/// Responses in a plane; frequency is written along the lines.
class PlanePlot : public QCustomPlot {
  Q_OBJECT

 public:
  explicit PlanePlot(Plane plane, QWidget* parent = nullptr);

  Plane plane() const { return plane_; }
  void show_curves(const QList<BodeCurve>& curves);
  /// Frames the neighbourhood of -1 where a loop is shown, all of it when asked again.
  void show_all();

  /// Where a curve stands at a frequency, interpolated; nothing outside it.
  std::optional<QPointF> place(const study::response::Curve& curve, double frequency) const;
  /// The frequency at which a curve comes nearest to a place on the widget, and how near, in pixels.
  std::optional<std::pair<double, double>> nearest(const study::response::Curve& curve, const QPointF& pixel) const;

  /// Lettered rings on the curve in view at frequencies; an empty list takes them away.
  void show_marks(const study::response::Curve* curve, const std::vector<std::pair<QString, double>>& marks);

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  bool framed() const;
  void frame_again();
  void show_range(QCPRange x, QCPRange y);
  QPointF at(const study::response::CurvePoint& point) const;
  void draw_contours();
  void label_frequencies(const BodeCurve& curve);
  void add_text(const QPointF& where, const QString& text, const QColor& colour, Qt::Alignment side,
                QList<QCPAbstractItem*>& into);

  Plane plane_;
  QList<QCPAbstractPlottable*> drawn_;
  QList<QCPAbstractItem*> labels_, marks_;
  QCPRange x_range_, y_range_, framed_x_, framed_y_;
  bool reaches_far_ = false;  ///< the curve leaves the neighbourhood of -1 by far
  bool framed_near_ = false;
};

/// The open loop L whose closed loop L/(1 + L) is this.
std::complex<double> open_loop(std::complex<double> closed);

}  // namespace heron::app
