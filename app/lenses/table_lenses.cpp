#include "table_lenses.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>

#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "exchange/writers.h"
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

constexpr int kOrder = Qt::UserRole + 10;

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

namespace {
QString text(const NumberText& t) { return QString::fromStdString(t.plain()); }
QString share(const std::optional<double>& s) { return s ? QString("%1 %").arg(100 * *s, 0, 'f', 0) : "\u2013"; }
}  // namespace

PointsLens::PointsLens(Session* session, QWidget* parent) : Lens(session, parent) {
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
    retake_->setEnabled(rows > 0 && !session_->running());
    retake_->setText(rows > 1 ? QString("Take these %1 again").arg(rows) : "Take this again");
  });
  retake_->setEnabled(false);
  for (const auto change : {&Session::shown_changed, &Session::running_changed})
    connect(session_, change, this, &PointsLens::refill);
  connect(session_, &Session::take_read, this, &PointsLens::refill);
}

void PointsLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void PointsLens::refill() {
  if (!isVisible()) return;
  const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
  const auto count = view ? int(view->curve.points.size()) : 0;
  table_->setSortingEnabled(false);
  table_->setRowCount(count);
  const bool impedance = view && view->curve.quantity == study::response::Quantity::impedance;
  table_->horizontalHeaderItem(2)->setText(impedance ? "|Z|" : "Gain");
  table_->setColumnHidden(6, !view || count == 0 || !view->curve.points.front().coherence);
  for (int row = 0; row < count; ++row) {
    const auto& p = view->curve.points[std::size_t(row)];
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
    set_cell(table_, row, 4, view->curve.has_phase ? text(phase) : "\u2013", true, p.phase_deg);
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
  const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
  if (!view) return {};
  const bool coherent = !view->curve.points.empty() && view->curve.points.front().coherence;
  QStringList heads = {"frequency (Hz)", "gain (dB)", "u gain (dB)", "phase (deg)", "u phase (deg)"};
  if (coherent) heads << "coherence";
  QStringList out = {heads.join(separator)};
  const bool some = selected && table_->selectionModel()->hasSelection();
  for (int row = 0; row < table_->rowCount(); ++row) {
    if (some && !table_->selectionModel()->isRowSelected(row)) continue;
    const auto index = table_->item(row, 0)->data(kOrder).toInt();
    const auto& p = view->curve.points[std::size_t(index)];
    const auto number = [](double v) { return QString::number(v, 'g', 12); };
    QStringList cells = {number(p.frequency), number(p.gain_db), p.u_gain_db ? number(*p.u_gain_db) : "",
                         view->curve.has_phase ? number(p.phase_deg) : "", p.u_phase_deg ? number(*p.u_phase_deg) : ""};
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
    emit session_->said(QString::fromStdString(ok.error().message), true);
}

void PointsLens::retake() {
  const auto shown = session_->shown();
  if (!shown) return;
  std::vector<int> points;
  for (const auto& index : table_->selectionModel()->selectedRows())
    points.push_back(table_->item(index.row(), 0)->data(Qt::UserRole).toInt());
  if (const QString trouble = session_->retake(*shown, points); !trouble.isEmpty()) emit session_->said(trouble, true);
}

FiguresLens::FiguresLens(Session* session, QWidget* parent) : Lens(session, parent) {
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
    session_->look().set_figure(rows.isEmpty() ? QString() : table_->item(rows.first().row(), key_column_)->text());
  });
  for (const auto change : {&Session::shown_changed, &Session::running_changed})
    connect(session_, change, this, &FiguresLens::refill);
  connect(session_, &Session::take_read, this, &FiguresLens::refill);
}

void FiguresLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void FiguresLens::refill() {
  if (!isVisible()) return;
  const QSignalBlocker quiet(table_);
  const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
  table_->setRowCount(0);
  if (!view) return;
  const auto& reading = view->analysis.reading;
  // What is laid over it and the wake stand beside it.
  std::vector<std::shared_ptr<const TakeView>> others;
  auto beside = session_->overlaid();
  if (const auto wake = session_->wake(); wake && wake != session_->shown() && !beside.contains(*wake))
    beside.prepend(*wake);
  for (const auto id : beside)
    if (const auto other = session_->view(id); other && !other->empty()) others.push_back(other);
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
  table_->setRowCount(int(reading.figures.size() + reading.absent.size() + reading.doubts.size()));
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
