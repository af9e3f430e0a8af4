#pragma once
#include "app/lenses/take_lens.h"
#include "point_of.h"

namespace heron::app {

/// Figures of spectra over what was swept, each line named at its end: distortion and harmonics, noise, or gain. A click on a
/// point opens the spectrum behind it.
class SweepLens : public TakeLens {
  Q_OBJECT

 public:
  explicit SweepLens(Desk* desk, QWidget* parent = nullptr);
  /// Names at the ends of the lines.
  QStringList names() const;
  /// In pixels: where the n-th point of the first line lies.
  QPointF place_of(int n) const;

 protected:
  void prepare(const TakeViewPtr& view) override;
  void clear() override;
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct Family {
    std::vector<study::spectrum::SweepCurve> curves;
    QColor ink;
    bool dashed = false, wake = false, shown = false;
  };
  struct Ready {
    std::vector<Family> families;
    study::spectrum::Axis axis;
    QString trouble;
  };
  struct Line {
    QCPGraph* graph;
    QCPItemText* name;
    std::vector<int> points;
    double end;  ///< value there
  };
  void draw();
  void part_names();
  void mark_figure();

  Ready ready_;
  std::vector<Line> lines_;
  QCPItemLine* mark_;
  study::spectrum::SweepGroup group_ = study::spectrum::SweepGroup::distortion;
};

}  // namespace heron::app
