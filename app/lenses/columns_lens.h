#pragma once
#include <QLabel>
#include <QTableWidget>

#include "app/lenses/lens.h"

namespace heron::app {

/// The curve of the take in view as a table: a row a point, a column a figure. Enter or a double click on a row shows what
/// lies behind that point.
class ColumnsLens : public Lens {
  Q_OBJECT

 public:
  ColumnsLens(Desk* desk, QWidget* parent);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void copy();
  const study::Columns* curve() const;

  QLabel* words_;
  QTableWidget* table_;
};

}  // namespace heron::app
