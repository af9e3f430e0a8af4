#pragma once
#include <qcustomplot.h>

#include <memory>
#include <span>
#include <vector>

#include "base/round_step.h"
#include "signal/pyramid.h"

/// What our plots add to QCustomPlot: forbidden ground, lettered cursors, curves of any length, saving.
namespace heron::render {

/// Applies paper, ink, grid and number fonts to a plot and to the axes of one of its rectangles.
void style_plot(QCustomPlot& plot);
/// An item that is drawn wherever it lies, and whether or not the plot's first axes are: it is theirs when it is made.
void set_free(QCPAbstractItem& item);
void style_axes(QCPAxisRect& rect);
void style_axis(QCPAxis& axis);

/// So many rectangles below each other over one axis, in place of what the plot had; the lowest has the numbers.
QList<QCPAxisRect*> stack_panels(QCustomPlot& plot, int count);

/// Says what goes along an axis: "Current, mA" with ticks 0, 2, 4, the prefix following the range; on a logarithmic one
/// "Current", and every decade with its own: "10 nA".
/// @param name  empty: the ticks alone
void measure_axis(QCPAxis* axis, const QString& name, const std::string& unit, bool logarithmic = false);

using heron::round_step;

/// Where names stand, in pixels from the top, so that none touches another and, where they have room, all stay inside.
/// @param wanted  in rising order
std::vector<double> parted(const std::vector<double>& wanted, double top, double bottom, double apart);

/// A disc for thousands of samples: drawn once and copied, where a circle each would take a frame's time.
QCPScatterStyle sample_dot(const QColor& colour, double size);

/// Hatched ground between a limit line and the edge of the axis rectangle, with an ink edge along the line.
class ForbiddenGround : public QCPAbstractItem {
 public:
  /// @param upper  true: the ground above the line is forbidden
  /// @param upright  null: the rectangle's left axis
  /// @param filled   false: its edge alone, where the ground belongs to others too
  ForbiddenGround(QCustomPlot* plot, QCPAxisRect* rect, QVector<QPointF> line, bool upper, QCPAxis* upright = nullptr, bool filled = true);

  double selectTest(const QPointF&, bool, QVariant* = nullptr) const override { return -1; }
  const QVector<QPointF>& line() const { return line_; }

 protected:
  void draw(QCPPainter* painter) override;

 private:
  QVector<QPointF> line_;
  bool upper_, filled_;
  QCPAxisRect* rect_;
  QCPAxis* upright_;
};

/// A dashed hairline through stacked rectangles with a lettered flag at the top.
class CursorLine : public QCPAbstractItem {
 public:
  CursorLine(QCustomPlot* plot, QList<QCPAxisRect*> rects, QString letter);

  void set_rects(QList<QCPAxisRect*> rects) { rects_ = std::move(rects); }
  void set_position(double key) { key_ = key; }
  double key() const { return key_; }

  /// Distance in pixels, for grabbing.
  double selectTest(const QPointF& at, bool only_selectable, QVariant* details = nullptr) const override;

 protected:
  void draw(QCPPainter* painter) override;

 private:
  QList<QCPAxisRect*> rects_;
  QString letter_;
  double key_ = 0;
};

/// A graph over a long record: hands the plot only what its pixels can show, so a frame costs the same at any length.
/// Holds the data and thins them anew before a frame whose range or width is another.
class LongGraph {
 public:
  LongGraph(QCPAxis* key_axis, QCPAxis* value_axis);
  ~LongGraph() { QObject::disconnect(before_frame_); }
  LongGraph(const LongGraph&) = delete;
  LongGraph& operator=(const LongGraph&) = delete;

  QCPGraph* graph() const { return graph_; }
  void set_data(std::vector<double> x, std::vector<double> y);

 private:
  void thin();

  QCPGraph* graph_;
  QMetaObject::Connection before_frame_;
  std::vector<double> x_, y_;
  signal::MinMaxPyramid pyramid_;
  QCPRange thinned_range_;
  int thinned_width_ = 0;
};

/// The plot as an SVG drawing; empty where it cannot be drawn.
QByteArray drawing_of(QCustomPlot& plot, QSize size);

/// Writes the plot as .png, .svg or .pdf, by the path's ending. @return what went wrong, empty when all is well
QString save_picture(QCustomPlot& plot, const QString& path, QSize size);

}  // namespace heron::render
