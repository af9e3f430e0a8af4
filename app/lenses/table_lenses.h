#pragma once
#include <QPushButton>
#include <QTableWidget>

#include "lens.h"

namespace heron::app {

/// Every point of the take in view as a row of numbers.
class PointsLens : public Lens {
  Q_OBJECT

 public:
  explicit PointsLens(Session* session, QWidget* parent = nullptr);
  QString title() const override { return "Points"; }
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

/// Every figure of the take in view, those that cannot be read with their reason, and all notes and doubts.
class FiguresLens : public Lens {
  Q_OBJECT

 public:
  explicit FiguresLens(Session* session, QWidget* parent = nullptr);
  QString title() const override { return "Figures"; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  QTableWidget* table_;
  int key_column_ = 3;
};

/// A column of a table: numbers stand to the right, as does their heading.
struct TableColumn {
  QString heading;
  bool number = false;
  int width = 0;  ///< pixels; 0: an even share
};

/// A table of ours: no grid, numbers right-aligned in the number font. The last column takes what is left.
QTableWidget* make_table(const QList<TableColumn>& columns, QWidget* parent);
/// @param order  what a sort goes by instead of the text
void set_cell(QTableWidget* table, int row, int column, const QString& text, bool number,
              std::optional<double> order = {});

}  // namespace heron::app
