#include "figures_lens.h"

#include <QHeaderView>
#include <QVBoxLayout>

#include "app/text.h"
#include "base/quantity.h"
#include "table.h"

namespace heron::app {

FiguresLens::FiguresLens(Desk* desk, QWidget* parent) : Lens(desk, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  table_ = make_table({{"Figure", false, 170},
                       {"Value", true, 120},
                       {"\u00b1 (k = 2)", true, 110},
                       {"Key", false, 160},
                       {"Remark", false}},
                      this);
  table_->setAccessibleName("Figures of the take");
  table_->setToolTip("A chosen figure is marked where it was read on the curve");
  column->addWidget(table_);
  connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
    const auto rows = table_->selectionModel()->selectedRows();
    desk_->look.set_figure(rows.isEmpty() ? QString() : table_->item(rows.first().row(), key_column_)->text());
  });
  connect(&desk_->focus, &Focus::shown_changed, this, &FiguresLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &FiguresLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &FiguresLens::refill);
}

void FiguresLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void FiguresLens::refill() {
  if (!isVisible()) return;
  const QSignalBlocker quiet(table_);
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  table_->setRowCount(0);
  if (!view) return;
  const auto& reading = view->analysis.reading;
  // What is laid over it and the wake stand beside it.
  std::vector<std::shared_ptr<const TakeView>> others;
  auto beside = desk_->focus.overlaid();
  if (const auto wake = desk_->focus.wake(); wake && wake != desk_->focus.shown() && !beside.contains(*wake))
    beside.prepend(*wake);
  for (const auto id : beside)
    if (const auto other = desk_->readings.view(id); other && !other->empty()) others.push_back(other);
  const int more = int(others.size());
  while (table_->columnCount() > 5 + more) table_->removeColumn(3);
  while (table_->columnCount() < 5 + more) table_->insertColumn(3);
  for (int k = 0; k < more; ++k) {
    const auto& other = *others[std::size_t(k)];
    auto* heading = new QTableWidgetItem(QString("Take %1, %2").arg(other.take.number).arg(text(other.take.unit)));
    heading->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    table_->setHorizontalHeaderItem(3 + k, heading);
    table_->horizontalHeader()->resizeSection(3 + k, 130);
  }
  key_column_ = 3 + more;
  const int remark = key_column_ + 1;
  std::vector<judge::TypedFigure> typed;
  const auto unit = desk_->document.unit_of(desk_->focus.study_id(), view->take.id);
  for (const auto& one : desk_->document.typed(desk_->focus.study_id()))
    if (one.unit == unit.id) typed.push_back(one);
  table_->setRowCount(
      int(reading.figures.size() + typed.size() + reading.absent.size() + reading.doubts.size()));
  int row = 0;
  for (const auto& f : reading.figures) {
    const auto value = format_with_uncertainty(f.value, f.u, f.unit);
    set_cell(table_, row, 0, QString::fromStdString(f.label), false);
    set_cell(table_, row, 1, text(value), true);
    set_cell(table_, row, 2, QString::fromStdString(value.uncertainty), true);
    for (int k = 0; k < more; ++k) {
      const auto* same = others[std::size_t(k)]->analysis.reading.find(f.key);
      set_cell(table_, row, 3 + k, same ? text(format_with_uncertainty(same->value, same->u, same->unit)) : "\u2013",
               true);
    }
    set_cell(table_, row, key_column_, QString::fromStdString(f.key), false);
    ++row;
  }
  for (const auto& one : typed) {
    const auto value = format_with_uncertainty(one.figure.value, one.figure.u, one.figure.unit);
    set_cell(table_, row, 0, text(one.figure.label), false);
    set_cell(table_, row, 1, text(value), true);
    set_cell(table_, row, 2, text(value.uncertainty), true);
    set_cell(table_, row, key_column_, text(one.figure.key), false);
    set_cell(table_, row, remark, "typed in, read " + text(one.source), false);
    ++row;
  }
  for (const auto& a : reading.absent) {
    set_cell(table_, row, 0, QString::fromStdString(a.label), false);
    set_cell(table_, row, 1, "\u2013", true);
    set_cell(table_, row, key_column_, QString::fromStdString(a.key), false);
    set_cell(table_, row, remark, QString::fromStdString(a.reason), false);
    ++row;
  }
  for (const auto& d : reading.doubts) {
    set_cell(table_, row, 0, d.severity == study::Severity::note ? "Note" : "Doubt", false);
    set_cell(table_, row, key_column_, QString::fromStdString(d.key), false);
    set_cell(table_, row, remark, QString::fromStdString(d.text + " " + d.remedy), false);
    ++row;
  }
}

}  // namespace heron::app
