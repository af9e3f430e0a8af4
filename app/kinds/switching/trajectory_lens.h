#pragma once
#include "shot_lens.h"

namespace heron::app {

/// Current against voltage through both events over the safe operating area: ratings as forbidden ground, powers as
/// hyperbolas. The way of each event is told by arrows.
class TrajectoryLens : public ShotLens {
  Q_OBJECT

 public:
  explicit TrajectoryLens(Desk* desk, QWidget* parent = nullptr);
  /// Words at the hyperbolas, with their powers.
  QStringList powers() const;
  int ways() const { return int(curves_.size()); }

 protected:
  QString lacks(const study::switching::ReadShot& shot) const override;
  void draw() override;
  void clear() override;
  void frame() override;

 private:
  void draw_powers();
  /// Voltage and current of one event, drawn as a curve.
  std::pair<QVector<double>, QVector<double>> add_way(const study::switching::ReadShot& shot, bool on, const study::switching::Settings& settings, const QPen& pen);

  QList<QCPCurve*> curves_, hyperbolas_;
  QList<QCPAbstractItem*> items_;
  QList<QCPItemText*> power_words_;
  double highest_voltage_ = 1, highest_current_ = 1;
};

}  // namespace heron::app
