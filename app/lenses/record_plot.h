#pragma once
#include <qcustomplot.h>

#include <vector>

#include "study/density.h"
#include "study/trace.h"

namespace heron::app {

/// One quantity of one take, and how it is told apart.
struct RecordCurve {
  study::TracePtr trace;
  QColor colour;
  bool dashed = false;
  bool wake = false;  ///< drawn as a broad pale line behind the others
  bool pale = false;  ///< an earlier pass of the same take
  bool dotted = false;  ///< what is expected, nothing that was read
};

/// Ground that a quantity shall not enter.
struct LimitLine {
  std::string quantity;
  QVector<QPointF> line;  ///< s, in the unit
  bool upper = true;
};

/// How the line between samples runs, where they stand apart.
enum class Between { lines, band_limited };

/// How quantities share panels.
enum class Panels {
  each,     ///< one a quantity
  by_unit,  ///< one a unit
  apart,    ///< one for all, each on a scale and place of its own so that none covers another
  over,     ///< one for all, each on a scale of its own over its full height
};

/// A place where the trigger was: a notch on the time axis, and its level as a tick in the quantity's panel.
struct TriggerMark {
  std::string quantity;
  std::optional<double> level;
};

/// Records of any length over time, in panels over one time axis, below a strip that shows the whole of them with the
/// part in view as a window that is dragged. Where there are more samples than pixels the extremes are drawn as shading,
/// where there are fewer each sample as a dot; the cost follows the pixels.
class RecordPlot : public QCustomPlot {
  Q_OBJECT

 public:
  explicit RecordPlot(QWidget* parent = nullptr);

  /// Redraws everything; a view that somebody chose is kept where the same quantities come again.
  void show_record(std::vector<RecordCurve> curves, Panels panels, const std::optional<TriggerMark>& trigger,
                   const std::vector<LimitLine>& limits = {});
  void set_between(Between between);
  /// Where many records run, behind the lines: lightness alone. Gone with the next show_record().
  /// @param by_quantity  quantity, its cells and its ink
  struct Cloud {
    std::string quantity;
    study::Density cells;
    QColor ink;
  };
  void show_clouds(const std::vector<Cloud>& clouds);
  int clouds() const { return int(clouds_.size()); }
  /// The upright part in view of the panel that a quantity is in; nothing where there is none.
  std::optional<QCPRange> upright_of(const std::string& quantity) const;
  /// All of the record.
  void show_all();
  /// A ring where a figure was read. @param on  the quantity; empty: in every panel
  void show_marks(const std::vector<double>& times, const std::string& on, const QString& label);

  const QList<QCPAxisRect*>& panels() const { return panels_; }
  QCPRange whole() const { return whole_; }
  void set_span(const QCPRange& span);
  QCPRange span() const;
  /// The quantities that stand before all others: of several passes or takes the one that is looked at.
  std::vector<study::TracePtr> in_front() const;
  /// What is written at each panel.
  QStringList names() const;

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

 private:
  struct Drawn {
    RecordCurve curve;
    int panel = 0;
    QCPAxis* upright = nullptr;
    QCPGraph *line = nullptr, *low = nullptr, *high = nullptr;
    QCPGraph* dots = nullptr;  ///< samples, where the line between them is no straight one
  };
  void draw_limits(const std::vector<LimitLine>& limits);
  void remove_curves();
  void arrange(int panels, int uprights);
  void frame();
  void fill();
  void fill_one(Drawn& drawn, const QCPRange& span, int columns);
  void draw_overview();
  void drag_window(const QPointF& at);

  QCPAxisRect* overview_;
  QCPItemRect* window_;
  QList<QCPAxisRect*> panels_;
  QList<QCPAxis*> uprights_;  ///< one a panel; or of the only panel one a quantity
  std::vector<Drawn> drawn_;
  std::vector<std::string> named_;  ///< of the quantities that are shown
  QList<QCPAbstractItem*> items_, marks_;
  QList<QCPColorMap*> clouds_;
  Between between_ = Between::lines;
  QList<QCPGraph*> overview_graphs_;
  QCPRange whole_{0, 1}, filled_{1, 0};
  Panels how_ = Panels::by_unit;
  int filled_width_ = 0, framed_height_ = 0;
  QList<QCPRange> framed_to_;  ///< of the uprights
  bool framed_ = true;
  std::optional<double> held_;  ///< where in the window the mouse took hold
};

}  // namespace heron::app
