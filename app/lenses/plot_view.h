#pragma once
#include <qcustomplot.h>

#include <QElapsedTimer>
#include <functional>

namespace heron::app {

/// How a plot is looked around in: the wheel zooms at the pointer, a double click shows all, dragging moves, and each view
/// that was left can be gone back to. An axis that its panel does
/// not let drag is not zoomed either. A lens that wants an event for itself filters before this.
class PlotView : public QObject {
 public:
  /// What the wheel zooms: both axes of a plane; or what goes along, and with Shift what stands upright.
  enum class Wheel { plane, along };

  /// @param rects  panels from the top; empty: the plot's own
  PlotView(QCustomPlot* plot, std::function<void()> show_all, Wheel wheel = Wheel::plane,
           QList<QCPAxisRect*> rects = {});

  void set_rects(QList<QCPAxisRect*> rects);
  void show_all();
  /// Back to the view before; false where there is none.
  bool back();
  void forget() { views_.clear(); }
  /// Somebody chose what is in view.
  bool moved() const { return !views_.empty(); }
  /// The view as it is can be gone back to.
  void remember();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  using View = QList<QCPRange>;  ///< of each panel what goes along and what stands upright
  QList<QCPAxis*> axes() const;
  View view() const;
  void zoom(const QWheelEvent& wheel);

  QCustomPlot* plot_;
  std::function<void()> show_all_;
  Wheel wheel_;
  QList<QCPAxisRect*> rects_;
  QList<View> views_;
  QElapsedTimer since_zoom_;
};

}  // namespace heron::app
