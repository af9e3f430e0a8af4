#pragma once
#include <QComboBox>
#include <QLineEdit>
#include <QTableWidget>

#include "app/lenses/lens.h"
#include "study/iv/datasheet.h"

namespace heron::app {

/// Points of a datasheet and what was read there: each row is a claim. Rows are typed, pasted, and taken out again.
class DatasheetLens : public Lens {
  Q_OBJECT

 public:
  explicit DatasheetLens(Desk* desk, QWidget* parent = nullptr);
  QTableWidget* table() const { return table_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void add();
  void paste();
  void remove();
  study::iv::PointOf chosen() const;
  void show_units();

  QTableWidget* table_;
  QComboBox* of_;
  QLineEdit *at_, *step_, *least_, *typical_, *most_;
  std::vector<judge::Claim> rows_;
};

}  // namespace heron::app
