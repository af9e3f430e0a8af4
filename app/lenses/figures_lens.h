#pragma once
#include <QTableWidget>

#include "lens.h"

namespace heron::app {

/// Every figure of the take in view, those that cannot be read with their reason, and all notes and doubts.
class FiguresLens : public Lens {
  Q_OBJECT

 public:
  explicit FiguresLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  QTableWidget* table_;
  int key_column_ = 3;
};

}  // namespace heron::app
