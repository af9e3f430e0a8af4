#pragma once
#include <qcustomplot.h>

#include "judge/claim.h"
#include "study/iv/axes.h"
#include "study/iv/fits.h"

namespace heron::app {

/// One take's curves and how they are told apart.
struct FamilyCurves {
  const study::iv::Family* family = nullptr;
  QColor colour;
  bool dashed = false;
  bool wake = false;  ///< drawn as broad pale bands behind the others
};

/// What the swept pin bears: beyond lies hatched ground. Nothing for what is not rated.
struct SafeArea {
  std::optional<double> voltage, current, power;  ///< V, A, W
};

/// What a datasheet allows at a voltage.
struct DatasheetMark {
  double voltage = 0;
  std::optional<double> least, typical, most;  ///< A
};

/// All that is drawn.
struct FamilyPicture {
  QList<FamilyCurves> takes;  ///< the last one is in view
  std::vector<judge::Mask> masks = {};
  SafeArea area = {};
  std::vector<study::iv::FitLine> fits = {};
  QString no_fit = {};  ///< said where fits are wanted and none holds
  std::vector<DatasheetMark> marks = {};
};

/// One quantity over another, usually current over voltage: one curve for each value of what is stepped, named at its
/// end.
class FamilyPlot : public QCustomPlot {
  Q_OBJECT

 public:
  explicit FamilyPlot(QWidget* parent = nullptr);

  void set_axes(const study::iv::AxisQuantity& x, const study::iv::AxisQuantity& y, bool logarithmic);
  const study::iv::AxisQuantity& along_x() const { return x_; }
  const study::iv::AxisQuantity& along_y() const { return y_; }
  bool logarithmic() const { return logarithmic_; }
  /// Current over voltage: masks, ratings, fits and cursors make sense.
  bool plain() const { return x_.key == "voltage" && y_.key == "current"; }
  bool over_voltage() const { return x_.key == "voltage"; }

  /// A second, lower plot over the same x: the slope under a transfer curve, the power under a solar cell's. Nothing:
  /// one plot alone.
  void set_below(const std::optional<study::iv::AxisQuantity>& y);
  const std::optional<study::iv::AxisQuantity>& below() const { return below_; }
  /// The upper rectangle and, where there is one, the lower.
  QList<QCPAxisRect*> rects() const;

  /// Redraws everything. A view that somebody chose is kept; one that framed all frames all again.
  void show_picture(const FamilyPicture& picture);
  void show_all();

  /// What a cursor reads of the take in view, written beside each curve that it crosses. Texts by the curve's place.
  struct Crossing {
    double x = 0, y = 0;
    bool rising = true;
    QString text;
  };
  void show_crossings(const QList<Crossing>& crossings);

  /// What is under a place on the widget: the nearest point of the take in view.
  struct Near {
    const study::iv::Curve* curve = nullptr;
    std::size_t point = 0;
    double pixels = 0;
  };
  std::optional<Near> nearest(const study::iv::Family& family, const QPointF& pixel) const;

 private:
  std::vector<QPointF> line_of(const study::iv::Family& family, const study::iv::Curve& curve) const;
  void draw(const FamilyCurves& take, bool fine);
  void draw_below(const FamilyCurves& take, bool fine);
  void clear_drawn();
  void draw_fits(const FamilyPicture& picture);
  void draw_marks(const FamilyPicture& picture);
  void name_curves(const FamilyCurves& take);
  bool framed() const;
  void frame_area(const SafeArea& area);

  study::iv::AxisQuantity x_{"voltage", "Voltage", "V"}, y_{"current", "Current", "A"};
  bool logarithmic_ = false;
  std::optional<study::iv::AxisQuantity> below_;
  QCPAxisRect* below_rect_ = nullptr;
  /// Of the take drawn last: where each curve ends, for its name.
  struct End {
    std::optional<double> step;
    QPointF left, right;
  };
  std::vector<End> ends_;
  std::optional<QRectF> framing_;  ///< all that is drawn of curves
  QList<QCPAbstractPlottable*> drawn_;
  QList<QCPAbstractItem*> items_, crossings_;
  QCPRange x_range_{0, 1}, y_range_{0, 1}, framed_x_, framed_y_;
};

}  // namespace heron::app
