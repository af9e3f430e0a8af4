#pragma once
#include <QTableWidget>

#include "app/lenses/lens.h"

namespace heron::app {

/// Every point of the take in view: what was set, what was read, what it came to. Enter shows what lies behind one.
class ReadingsTableLens : public Lens {
  Q_OBJECT

 public:
  explicit ReadingsTableLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void copy();

  QTableWidget* table_;
};

}  // namespace heron::app
