#pragma once
#include <QTableWidget>

#include "app/lenses/lens.h"

namespace heron::app {

/// What every phase comes to: phases across, quantities down, the total behind them.
class QuantitiesLens : public Lens {
  Q_OBJECT

 public:
  explicit QuantitiesLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void copy();

  QTableWidget* table_;
};

}  // namespace heron::app
