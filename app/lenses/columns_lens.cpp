#include "app/lenses/columns_lens.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/ink.h"
#include "app/lenses/table.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {
namespace {

constexpr std::size_t kMostRows = 4000;

/// The column's number at a row of the curve; nothing where it has none there.
std::optional<std::size_t> place_of(const study::Columns& curve, const study::Columns::Column& column, std::size_t row) {
  const auto& x = column.x.empty() ? curve.x : column.x;
  const auto it = std::lower_bound(x.begin(), x.end(), curve.x[row]);
  if (it == x.end() || *it != curve.x[row]) return std::nullopt;
  const auto k = std::size_t(it - x.begin());
  return k < column.y.size() && std::isfinite(column.y[k]) ? std::optional(k) : std::nullopt;
}

}  // namespace

ColumnsLens::ColumnsLens(Desk* desk, QWidget* parent) : Lens(desk, parent), words_(new QLabel(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  words_->setFont(render::text_font(12));
  set_ink(*words_, render::theme().slate);
  column->addWidget(words_);
  table_ = make_table({{"Point", true, 64}}, this);
  table_->setAccessibleName("Points");
  table_->setToolTip("Enter shows what lies behind a point. Ctrl+C copies the chosen rows, or all, in SI numbers");
  column->addWidget(table_, 1);
  auto* shortcut = new QShortcut(QKeySequence::Copy, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(shortcut, &QShortcut::activated, this, &ColumnsLens::copy);
  connect(table_, &QTableWidget::cellActivated, this, [this](int row, int) { emit point_chosen(table_->item(row, 0)->text().toInt() - 1); });
  connect(&desk_->focus, &Focus::shown_changed, this, &ColumnsLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &ColumnsLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &ColumnsLens::refill);
}

const study::Columns* ColumnsLens::curve() const {
  const auto view = desk_->readings.shown();
  return view && !view->analysis.curve->x.empty() ? &*view->analysis.curve : nullptr;
}

void ColumnsLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void ColumnsLens::refill() {
  if (!isVisible()) return;
  const auto* all = curve();
  const auto rows = all ? std::min(all->x.size(), kMostRows) : 0;
  words_->setText(!desk_->focus.shown() ? "Nothing is taken yet. Space takes."
                  : !all                ? "reading\u2026"
                  : all->x.size() > rows ? QString("The first %1 of %2 points; export has all.").arg(rows).arg(all->x.size())
                                         : QString());
  words_->setVisible(!words_->text().isEmpty());
  table_->setRowCount(int(rows));
  table_->setColumnCount(all ? 2 + int(all->columns.size()) : 1);
  if (!all) return;
  const auto head = [&](int at, const std::string& name) {
    auto* item = new QTableWidgetItem(text(name));
    item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    table_->setHorizontalHeaderItem(at, item);
    table_->horizontalHeader()->setSectionResizeMode(at, QHeaderView::Interactive);
  };
  head(0, "Point");
  head(1, all->x_name);
  for (std::size_t c = 0; c < all->columns.size(); ++c) head(int(c) + 2, all->columns[c].name);
  for (std::size_t row = 0; row < rows; ++row) {
    set_cell(table_, int(row), 0, QString::number(row + 1), true);
    set_cell(table_, int(row), 1, text(format_quantity(all->x[row], all->x_unit, 6).plain()), true);
    for (std::size_t c = 0; c < all->columns.size(); ++c) {
      const auto& column = all->columns[c];
      const auto k = place_of(*all, column, row);
      const auto u = k && *k < column.u.size() && column.u[*k] > 0 ? std::optional(column.u[*k]) : std::nullopt;
      const auto number = k ? format_with_uncertainty(column.y[*k], u, column.unit) : NumberText{};
      set_cell(table_, int(row), int(c) + 2, k ? text(number.plain()) : QString("\u2013"), true);
      if (u) table_->item(int(row), int(c) + 2)->setToolTip("\u00b1 " + text(number.uncertainty) + " (k = 2)");
    }
  }
  table_->resizeColumnsToContents();
}

/// Full numbers, SI.
void ColumnsLens::copy() {
  const auto* all = curve();
  if (!all) return;
  QStringList head = {text(all->x_name + " (" + all->x_unit + ")")};
  for (const auto& column : all->columns) head << text(column.name + (column.unit.empty() ? "" : " (" + column.unit + ")"));
  QStringList out = {head.join('\t')};
  const bool some = table_->selectionModel()->hasSelection();
  for (int row = 0; row < table_->rowCount(); ++row) {
    if (some && !table_->selectionModel()->isRowSelected(row)) continue;
    QStringList cells = {QString::number(all->x[std::size_t(row)], 'g', 12)};
    for (const auto& column : all->columns) {
      const auto k = place_of(*all, column, std::size_t(row));
      cells << (k ? QString::number(column.y[*k], 'g', 12) : QString());
    }
    out << cells.join('\t');
  }
  QApplication::clipboard()->setText(out.join("\n") + "\n");
}

}  // namespace heron::app
