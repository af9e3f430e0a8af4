#include "quantities_lens.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>
#include <array>

#include "app/lenses/table.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"

namespace heron::app {
namespace {

struct Row {
  const char *label, *key;
};
constexpr Row kRows[] = {{"Voltage, rms", "voltage.rms"},
                         {"Current, rms", "current.rms"},
                         {"Active power", "power.active"},
                         {"Apparent power", "power.apparent"},
                         {"Reactive power", "power.reactive"},
                         {"Power factor", "power_factor"},
                         {"Displacement factor", "power_factor.displacement"},
                         {"Angle of the current", "angle.current"},
                         {"Crest factor of the voltage", "voltage.crest"},
                         {"Crest factor of the current", "current.crest"},
                         {"Distortion of the voltage", "thd.voltage"},
                         {"Distortion of the current", "thd.current"},
                         {"Room to the class's limits", "harmonic.margin"}};
constexpr std::array<const char*, 4> kEnds = {".a", ".b", ".c", ""};

}  // namespace

QuantitiesLens::QuantitiesLens(Desk* desk, QWidget* parent) : Lens(desk, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  table_ = make_table({{"Quantity", false, 200}, {"Phase a", true, 150}, {"Phase b", true, 150}, {"Phase c", true, 150}, {"All", true}}, this);
  table_->setAccessibleName("Quantities by phase");
  table_->setToolTip("A chosen cell is the figure that is marked. Ctrl+C copies all, in SI numbers");
  table_->setSelectionBehavior(QAbstractItemView::SelectItems);
  column->addWidget(table_);
  auto* shortcut = new QShortcut(QKeySequence::Copy, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(shortcut, &QShortcut::activated, this, &QuantitiesLens::copy);
  connect(table_, &QTableWidget::currentCellChanged, this, [this](int row, int cell) {
    const auto* item = row >= 0 && cell > 0 ? table_->item(row, cell) : nullptr;
    if (item) desk_->look.set_figure(item->data(Qt::UserRole).toString());
  });
  connect(&desk_->focus, &Focus::shown_changed, this, &QuantitiesLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &QuantitiesLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &QuantitiesLens::refill);
}

void QuantitiesLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void QuantitiesLens::refill() {
  if (!isVisible()) return;
  const QSignalBlocker quiet(table_);
  table_->setRowCount(0);
  const auto view = desk_->readings.shown();
  if (!view) return;
  const auto& reading = view->analysis.reading;
  const bool three = reading.find("voltage.rms.a") || reading.find("current.rms.a");
  for (int k = 1; k <= 3; ++k) table_->setColumnHidden(k, !three);
  auto* last = table_->horizontalHeaderItem(4);
  last->setText(three ? "All" : "");
  for (const auto& row : kRows) {
    bool any = false;
    for (const char* end : kEnds) any = any || reading.find(row.key + std::string(end));
    if (!any) continue;
    const int at = table_->rowCount();
    table_->insertRow(at);
    set_cell(table_, at, 0, row.label, false);
    for (std::size_t k = 0; k < kEnds.size(); ++k) {
      const auto key = row.key + std::string(kEnds[k]);
      const auto* f = reading.find(key);
      const auto shown = f ? format_with_uncertainty(f->value, f->u, f->unit) : NumberText{};
      set_cell(table_, at, int(k) + 1, f ? text(shown.plain()) : QString("\u2013"), true);
      auto* item = table_->item(at, int(k) + 1);
      item->setData(Qt::UserRole, f ? text(key) : QString());
      if (f && f->u) item->setToolTip("\u00b1 " + text(shown.uncertainty) + " (k = 2)");
    }
  }
}

/// Full numbers, SI.
void QuantitiesLens::copy() {
  const auto view = desk_->readings.shown();
  if (!view) return;
  QStringList out = {"quantity\ta\tb\tc\tall"};
  for (const auto& row : kRows) {
    QStringList cells = {row.label};
    for (const char* end : kEnds) {
      const auto* f = view->analysis.reading.find(row.key + std::string(end));
      cells << (f ? QString::number(f->value, 'g', 12) : QString());
    }
    out << cells.join('\t');
  }
  QApplication::clipboard()->setText(out.join("\n") + "\n");
}

}  // namespace heron::app
