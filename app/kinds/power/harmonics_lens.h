#pragma once
#include "record_take_lens.h"

namespace heron::app {

/// Harmonics 2 to 40 as bars, phase by phase, with what their class allows as hatched ground: in amperes or in per cent of
/// the fundamental; of the current or of the voltage.
class HarmonicsLens : public RecordTakeLens {
  Q_OBJECT

 public:
  explicit HarmonicsLens(Desk* desk, QWidget* parent = nullptr);
  /// Height of the bar of an order; nothing where there is none.
  std::optional<double> height_of(int order) const;

 protected:
  QString lacks(const study::power::PowerRecord& record) const override;
  void draw() override;
  void clear() override;
  void frame() override;

 private:
  double height(const std::vector<std::complex<double>>& phasors, int order) const;
  void draw_other(const Beside& other, bool voltage, std::size_t from, std::size_t to);

  QList<QCPBars*> bars_;
  QList<QCPGraph*> others_;  ///< of other takes
  QList<QCPAbstractItem*> items_;
  QCPBarsGroup* group_;
  bool per_cent_ = false, voltage_ = false;
  std::size_t phase_ = 3;  ///< beyond the last: all side by side
  double highest_ = 1;
};

}  // namespace heron::app
