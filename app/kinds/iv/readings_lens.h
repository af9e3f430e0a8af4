#pragma once
#include <QTableWidget>

#include "app/lenses/lens.h"

namespace heron::app {

/// Every reading of a family as a table: sorted by any column, copied as it stands.
class ReadingsLens : public Lens {
  Q_OBJECT

 public:
  explicit ReadingsLens(Desk* desk, QWidget* parent = nullptr);
  QTableWidget* table() const { return table_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void copy();

  QTableWidget* table_;
};

}  // namespace heron::app
