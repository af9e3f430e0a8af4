#pragma once
#include "app/lenses/over_time_lens.h"
#include "power_kind_view.h"

namespace heron::app {

/// Voltages and currents of all phases over time, the whole cycles that are read marked at both ends.
class CyclesLens : public OverTimeLens {
  Q_OBJECT

 public:
  explicit CyclesLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void renew() override;
  std::vector<int> points() const override;

 private:
  study::WaveformsPtr record() const;

  Panels panels_ = Panels::by_unit;
};

}  // namespace heron::app
