#pragma once
#include <QComboBox>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>
#include <set>

#include "desk.h"

namespace heron::app {

/// Every study on every unit as a table of takes to be made: ticked before, followed while they are made.
class BatchPage : public QWidget {
  Q_OBJECT

 public:
  explicit BatchPage(Desk* desk, QWidget* parent = nullptr);

  /// What Space and Esc do here. @return false where the key means nothing
  bool handle_key(int key);

 signals:
  /// A take that was made shall be looked at.
  void opened();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  using Cell = std::pair<long long, long long>;  ///< unit, study
  void reload();
  void refresh();
  void refresh_cells();
  void toggle(int row, int column);
  void toggle_row(int row);
  void toggle_column(int column);
  void set_all(bool ticked);
  void start();
  void open_cell(int row, int column);
  Cell at(int row, int column) const;
  bool choosing() const;

  Desk* desk_;
  QLabel* said_;
  QLabel* refusal_;
  QComboBox* on_bench_;
  QPushButton *start_, *skip_, *all_, *none_, *away_;
  QProgressBar* bar_;
  QTableWidget* table_;
  std::vector<long long> studies_, units_;
  std::set<Cell> ticked_;
};

}  // namespace heron::app
