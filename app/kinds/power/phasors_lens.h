#pragma once
#include "record_take_lens.h"

namespace heron::app {

/// Voltages and currents of the fundamental as rays from one place, the sector between a voltage and its current filled: how
/// far it lags, and which way. Beside it in words what they come to.
class PhasorsLens : public RecordTakeLens {
  Q_OBJECT

 public:
  explicit PhasorsLens(Desk* desk, QWidget* parent = nullptr);
  /// What is said beside the drawing.
  QStringList words() const;

 protected:
  QString lacks(const study::power::PowerRecord& record) const override;
  void draw() override;
  void clear() override;
  void frame() override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void ray(std::complex<double> to, const QColor& ink, double width, bool dashed, const QString& name);
  void sector(double from, double to, double radius, const QColor& ink);

  QList<QCPAbstractItem*> items_;
  QList<QCPCurve*> curves_;
  QList<QCPItemText*> words_;
};

}  // namespace heron::app
