#pragma once
#include <QTableWidget>
#include <optional>

namespace heron::app {

/// Role of a cell that holds what a sort goes by.
inline constexpr int kOrder = Qt::UserRole + 10;

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
