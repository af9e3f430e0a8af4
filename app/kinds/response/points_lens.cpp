#include "points_lens.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>
#include <cmath>
#include <numbers>

#include "app/lenses/table.h"
#include "app/text.h"
#include "base/quantity.h"
#include "exchange/writers.h"
#include "render/theme.h"
#include "response_view.h"

namespace heron::app {

namespace {
QString share(const std::optional<double>& s) { return s ? QString("%1 %").arg(100 * *s, 0, 'f', 0) : "\u2013"; }
}  // namespace

PointsLens::PointsLens(Desk* desk, QWidget* parent) : Lens(desk, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  table_ = make_table({{"Point", true, 64},
                       {"Frequency", true},
                       {"Gain", true},
                       {"\u00b1 (k = 2)", true},
                       {"Phase", true},
                       {"\u00b1 (k = 2)", true},
                       {"Coherence", true},
                       {"Stimulus of range", true},
                       {"Response of range", true}},
                      this);
  table_->setAccessibleName("Points");
  table_->setSortingEnabled(true);
  table_->sortByColumn(1, Qt::AscendingOrder);
  column->addWidget(table_);
  auto* row = new QHBoxLayout;
  const auto button = [&](const QString& name, const QString& tip, auto slot) {
    auto* b = new QPushButton(name, this);
    b->setAccessibleName(QString(name).remove("\u2026"));
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, slot);
    row->addWidget(b);
    return b;
  };
  row->addStretch(1);
  retake_ = button("Take these again", "Reads the chosen points again into a new take; the others are carried over",
                   &PointsLens::retake);
  button("Copy", "The chosen rows, or all, for a spreadsheet (Ctrl+C)", &PointsLens::copy);
  button("Save\u2026", "All rows as CSV", &PointsLens::save);
  column->addLayout(row);
  auto* shortcut = new QShortcut(QKeySequence::Copy, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(shortcut, &QShortcut::activated, this, &PointsLens::copy);
  connect(table_, &QTableWidget::cellDoubleClicked, this,
          [this](int at) { emit point_chosen(table_->item(at, 0)->data(Qt::UserRole).toInt()); });
  connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
    const auto rows = table_->selectionModel()->selectedRows().size();
    retake_->setEnabled(rows > 0 && !desk_->runner.running());
    retake_->setText(rows > 1 ? QString("Take these %1 again").arg(rows) : "Take this again");
  });
  retake_->setEnabled(false);
  connect(&desk_->focus, &Focus::shown_changed, this, &PointsLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &PointsLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &PointsLens::refill);
}

void PointsLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void PointsLens::refill() {
  if (!isVisible()) return;
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  const auto count = view ? int(curve_of(view).points.size()) : 0;
  table_->setSortingEnabled(false);
  table_->setRowCount(count);
  const bool impedance = view && curve_of(view).quantity == study::response::Quantity::impedance;
  table_->horizontalHeaderItem(2)->setText(impedance ? "|Z|" : "Gain");
  table_->setColumnHidden(6, !view || count == 0 || !curve_of(view).points.front().coherence);
  for (int row = 0; row < count; ++row) {
    const auto& p = curve_of(view).points[std::size_t(row)];
    auto gain = format_with_uncertainty(p.gain_db, p.u_gain_db, "dB");
    if (impedance) {
      const double z = std::pow(10, p.gain_db / 20);
      gain = format_with_uncertainty(
          z, p.u_gain_db ? std::optional(z * *p.u_gain_db * std::numbers::ln10 / 20) : std::nullopt, "ohm");
    }
    const auto phase = format_with_uncertainty(p.phase_deg, p.u_phase_deg, "deg");
    set_cell(table_, row, 0, QString::number(row + 1), true, row);
    table_->item(row, 0)->setData(Qt::UserRole, p.index);
    set_cell(table_, row, 1, text(format_quantity(p.frequency, "Hz", 5)), true, p.frequency);
    set_cell(table_, row, 2, text(gain), true, p.gain_db);
    set_cell(table_, row, 3, QString::fromStdString(gain.uncertainty), true, p.u_gain_db.value_or(0));
    set_cell(table_, row, 4, curve_of(view).has_phase ? text(phase) : "\u2013", true, p.phase_deg);
    set_cell(table_, row, 5, QString::fromStdString(phase.uncertainty), true, p.u_phase_deg.value_or(0));
    set_cell(table_, row, 6, p.coherence ? QString::number(*p.coherence, 'f', 4) : "\u2013", true,
             p.coherence.value_or(0));
    set_cell(table_, row, 7, share(p.of(study::response::Side::stimulus).range_share), true, p.of(study::response::Side::stimulus).range_share.value_or(0));
    set_cell(table_, row, 8, share(p.of(study::response::Side::response).range_share), true, p.of(study::response::Side::response).range_share.value_or(0));
    if (!p.trusted)
      for (int column = 0; column < table_->columnCount(); ++column)
        table_->item(row, column)->setForeground(render::theme().slate);
  }
  table_->setSortingEnabled(true);
}

/// Full numbers, SI, in the order that is shown.
QString PointsLens::as_text(QChar separator, bool selected) const {
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  if (!view) return {};
  const bool coherent = !curve_of(view).points.empty() && curve_of(view).points.front().coherence;
  QStringList heads = {"frequency (Hz)", "gain (dB)", "u gain (dB)", "phase (deg)", "u phase (deg)"};
  if (coherent) heads << "coherence";
  QStringList out = {heads.join(separator)};
  const bool some = selected && table_->selectionModel()->hasSelection();
  for (int row = 0; row < table_->rowCount(); ++row) {
    if (some && !table_->selectionModel()->isRowSelected(row)) continue;
    const auto index = table_->item(row, 0)->data(kOrder).toInt();
    const auto& p = curve_of(view).points[std::size_t(index)];
    const auto number = [](double v) { return QString::number(v, 'g', 12); };
    QStringList cells = {number(p.frequency), number(p.gain_db), p.u_gain_db ? number(*p.u_gain_db) : "",
                         curve_of(view).has_phase ? number(p.phase_deg) : "", p.u_phase_deg ? number(*p.u_phase_deg) : ""};
    if (coherent) cells << number(p.coherence.value_or(0));
    out << cells.join(separator);
  }
  return out.join("\n") + "\n";
}

void PointsLens::copy() { QApplication::clipboard()->setText(as_text('\t', true)); }

void PointsLens::save() {
  const QString path = QFileDialog::getSaveFileName(this, "Save the points", "points.csv", "Tables (*.csv)");
  if (path.isEmpty()) return;
  if (const auto ok = exchange::write_file(path.toStdString(), as_text(',', false).toStdString()); !ok)
    desk_->complain(QString::fromStdString(ok.error().message));
}

void PointsLens::retake() {
  const auto shown = desk_->focus.shown();
  if (!shown) return;
  std::vector<int> points;
  for (const auto& index : table_->selectionModel()->selectedRows())
    points.push_back(table_->item(index.row(), 0)->data(Qt::UserRole).toInt());
  desk_->complain(desk_->runner.retake(*shown, points));
}

}  // namespace heron::app
