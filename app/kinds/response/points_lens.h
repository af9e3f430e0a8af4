#pragma once
#include <QPushButton>
#include <QTableWidget>

#include "app/lenses/lens.h"

namespace heron::app {

/// Every point of the take in view as a row of numbers.
class PointsLens : public Lens {
  Q_OBJECT

 public:
  explicit PointsLens(Desk* desk, QWidget* parent = nullptr);
  QTableWidget* table() const { return table_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void copy();
  void save();
  void retake();
  QString as_text(QChar separator, bool selected) const;
  QTableWidget* table_;
  QPushButton* retake_;
};

}  // namespace heron::app
