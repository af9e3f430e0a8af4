#include "table.h"

#include <QHeaderView>

#include "render/theme.h"

namespace heron::app {

QTableWidget* make_table(const QList<TableColumn>& columns, QWidget* parent) {
  auto* table = new QTableWidget(0, int(columns.size()), parent);
  auto* header = table->horizontalHeader();
  for (int i = 0; i < columns.size(); ++i) {
    auto* item = new QTableWidgetItem(columns[i].heading);
    item->setTextAlignment((columns[i].number ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    table->setHorizontalHeaderItem(i, item);
    if (columns[i].width > 0)
      header->resizeSection(i, columns[i].width);
    else
      header->setSectionResizeMode(i, QHeaderView::Stretch);
  }
  header->setHighlightSections(false);
  table->verticalHeader()->hide();
  table->verticalHeader()->setDefaultSectionSize(25);
  table->setShowGrid(false);
  table->setFrameShape(QFrame::NoFrame);
  table->setSelectionBehavior(QAbstractItemView::SelectRows);
  table->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table->setTabKeyNavigation(false);
  table->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  return table;
}

namespace {

/// Sorts by what a cell means, not by how it is written.
class OrderedItem : public QTableWidgetItem {
 public:
  using QTableWidgetItem::QTableWidgetItem;
  bool operator<(const QTableWidgetItem& other) const override {
    const auto a = data(kOrder), b = other.data(kOrder);
    return a.isValid() && b.isValid() ? a.toDouble() < b.toDouble() : text() < other.text();
  }
};

}  // namespace

void set_cell(QTableWidget* table, int row, int column, const QString& text, bool number, std::optional<double> order) {
  auto* item = new OrderedItem(text);
  if (order) item->setData(kOrder, *order);
  item->setFont(number ? render::number_font(12) : render::text_font(12));
  item->setTextAlignment((number ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
  table->setItem(row, column, item);
}

}  // namespace heron::app
