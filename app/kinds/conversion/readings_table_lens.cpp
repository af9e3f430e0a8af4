#include "readings_table_lens.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>

#include "app/lenses/table.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"
#include "conversion_kind_view.h"

namespace heron::app {

namespace conversion = study::conversion;

namespace {

struct TableColumn {
  const char *name, *unit;
  std::optional<double> (*of)(const conversion::Row&);
  bool set = false;  ///< shown where anything was said of it
};
const TableColumn kTableColumns[] = {{"Line", "V", [](const conversion::Row& r) { return r.line; }, true},
                                     {"Load", "A", [](const conversion::Row& r) { return r.load; }, true},
                                     {"Frequency", "Hz", [](const conversion::Row& r) { return r.frequency; }, true},
                                     {"Temperature", "degC", [](const conversion::Row& r) { return r.temperature; }, true},
                                     {"vin", "V", [](const conversion::Row& r) { return std::optional(r.vin()); }},
                                     {"iin", "A", [](const conversion::Row& r) { return std::optional(r.at(conversion::Port::iin)); }},
                                     {"vout", "V", [](const conversion::Row& r) { return std::optional(r.vout()); }},
                                     {"iout", "A", [](const conversion::Row& r) { return std::optional(r.iout()); }},
                                     {"Efficiency", "%", [](const conversion::Row& r) { return r.input_power() != 0 ? std::optional(100 * r.efficiency()) : std::nullopt; }},
                                     {"Loss", "W", [](const conversion::Row& r) { return std::optional(r.loss()); }},
                                     {"Warmed to", "degC", [](const conversion::Row& r) { return r.warmth; }, true}};
constexpr int kMostTableRows = 4000;

}  // namespace

ReadingsTableLens::ReadingsTableLens(Desk* desk, QWidget* parent) : Lens(desk, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  table_ = make_table({{"Point", true, 64}, {"Line", true, 92}, {"Load", true, 92}, {"Frequency", true, 92}, {"Temperature", true, 92}, {"vin", true, 92}, {"iin", true, 92}, {"vout", true, 92}, {"iout", true, 92},
                       {"Efficiency", true, 92}, {"Loss", true, 112}, {"Warmed to", true}},
                      this);
  table_->setAccessibleName("Points");
  table_->setToolTip("Enter shows what lies behind a point. Ctrl+C copies all, in SI numbers");
  column->addWidget(table_);
  auto* shortcut = new QShortcut(QKeySequence::Copy, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(shortcut, &QShortcut::activated, this, &ReadingsTableLens::copy);
  connect(table_, &QTableWidget::cellActivated, this, [this](int row, int) { emit point_chosen(table_->item(row, 0)->data(Qt::UserRole).toInt()); });
  connect(&desk_->focus, &Focus::shown_changed, this, &ReadingsTableLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &ReadingsTableLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &ReadingsTableLens::refill);
}

void ReadingsTableLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void ReadingsTableLens::refill() {
  if (!isVisible()) return;
  table_->setRowCount(0);
  const auto view = desk_->readings.shown();
  const auto* reduced = conversion_of(view.get());
  if (!reduced) return;
  const auto& rows = reduced->rows();
  table_->setRowCount(std::min(int(rows.size()), kMostTableRows));
  for (std::size_t c = 0; c < std::size(kTableColumns); ++c) {
    const auto& column = kTableColumns[c];
    table_->setColumnHidden(int(c) + 1, column.set && std::none_of(rows.begin(), rows.end(), [&](const auto& r) { return column.of(r).has_value(); }));
  }
  for (int k = 0; k < table_->rowCount(); ++k) {
    const auto& row = rows[std::size_t(k)];
    set_cell(table_, k, 0, QString::number(row.point + 1), true);
    table_->item(k, 0)->setData(Qt::UserRole, row.point);
    if (row.readings > 1) table_->item(k, 0)->setToolTip(QString("mean of %1").arg(row.readings));
    for (std::size_t c = 0; c < std::size(kTableColumns); ++c) {
      const auto value = kTableColumns[c].of(row);
      set_cell(table_, k, int(c) + 1, value ? text(format_quantity(*value, kTableColumns[c].unit, 5).plain()) : QString("\u2013"), true);
    }
  }
}

/// Full numbers, SI.
void ReadingsTableLens::copy() {
  const auto view = desk_->readings.shown();
  const auto* reduced = conversion_of(view.get());
  if (!reduced) return;
  QStringList out;
  QStringList head = {"point"};
  for (const auto& c : kTableColumns) head << QString("%1 (%2)").arg(c.name, c.unit);
  out << head.join('\t');
  for (const auto& row : reduced->rows()) {
    QStringList cells = {QString::number(row.point + 1)};
    for (const auto& c : kTableColumns) {
      const auto value = c.of(row);
      cells << (value ? QString::number(*value, 'g', 12) : QString());
    }
    out << cells.join('\t');
  }
  QApplication::clipboard()->setText(out.join("\n") + "\n");
}

}  // namespace heron::app
