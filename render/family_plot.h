#pragma once
#include <qcustomplot.h>

#include "judge/claim.h"
#include "study/iv/curve.h"

namespace heron::render {

/// What stands over the voltage.
enum class Upright {
  current,
  slope,  ///< dI/dV: conductance, or transconductance of a transfer curve
  power,  ///< V times I
};

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

/// Current over voltage, one curve for each value of what is stepped, named at its end.
class FamilyPlot : public QCustomPlot {
  Q_OBJECT

 public:
  explicit FamilyPlot(QWidget* parent = nullptr);

  void set_form(Upright upright, bool logarithmic);
  Upright upright() const { return upright_; }
  bool logarithmic() const { return logarithmic_; }

  /// Redraws everything. A view that somebody chose is kept; one that framed all frames all again.
  void show_curves(const QList<FamilyCurves>& takes, const std::vector<judge::Mask>& masks, const SafeArea& area);
  void show_all();

  /// What is under a place on the widget: the nearest point of the take in view, within a few pixels.
  struct Near {
    const study::iv::Curve* curve = nullptr;
    std::size_t point = 0;
    double pixels = 0;
  };
  std::optional<Near> nearest(const study::iv::Family& family, const QPointF& pixel) const;

 private:
  std::vector<QPointF> line_of(const study::iv::Curve& curve) const;
  void draw(const FamilyCurves& take);
  void name_curves(const FamilyCurves& take);
  bool framed() const;
  void frame_area(const SafeArea& area);

  Upright upright_ = Upright::current;
  bool logarithmic_ = false;
  QList<QCPAbstractPlottable*> drawn_;
  QList<QCPAbstractItem*> items_;
  QCPRange x_range_{0, 1}, y_range_{0, 1}, framed_x_, framed_y_;
};

}  // namespace heron::render
