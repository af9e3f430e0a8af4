#pragma once
#include <QTableWidget>

#include "lens.h"

namespace heron::app {

/// Every point of the take in view as a row of numbers.
class PointsLens : public Lens {
  Q_OBJECT

 public:
  explicit PointsLens(Session* session, QWidget* parent = nullptr);
  QString title() const override { return "Points"; }

 private:
  void refill();
  QTableWidget* table_;
};

/// Every figure of the take in view, those that cannot be read with their reason, and all notes and doubts.
class FiguresLens : public Lens {
  Q_OBJECT

 public:
  explicit FiguresLens(Session* session, QWidget* parent = nullptr);
  QString title() const override { return "Figures"; }

 private:
  void refill();
  QTableWidget* table_;
};

/// A column of a table: numbers stand to the right, as does their heading.
struct TableColumn {
  QString heading;
  bool number = false;
  int width = 0;  ///< pixels; 0: an even share
};

/// A table of ours: no grid, numbers right-aligned in the number font. The last column takes what is left.
QTableWidget* make_table(const QList<TableColumn>& columns, QWidget* parent);
void set_cell(QTableWidget* table, int row, int column, const QString& text, bool number);

}  // namespace heron::app
