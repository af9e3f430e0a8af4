#include "table_lenses.h"

#include <QHeaderView>
#include <QVBoxLayout>

#include "base/quantity.h"
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

void set_cell(QTableWidget* table, int row, int column, const QString& text, bool number) {
  auto* item = new QTableWidgetItem(text);
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
                       {"Stimulus of range", true},
                       {"Response of range", true}},
                      this);
  table_->setAccessibleName("Points");
  column->addWidget(table_);
  connect(table_, &QTableWidget::cellDoubleClicked, this,
          [this](int row) { emit point_chosen(table_->item(row, 0)->data(Qt::UserRole).toInt()); });
  for (const auto change : {&Session::shown_changed, &Session::running_changed})
    connect(session_, change, this, &PointsLens::refill);
  connect(session_, &Session::take_read, this, &PointsLens::refill);
}

void PointsLens::refill() {
  const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
  const auto count = view ? int(view->curve.points.size()) : 0;
  table_->setRowCount(count);
  for (int row = 0; row < count; ++row) {
    const auto& p = view->curve.points[std::size_t(row)];
    const auto gain = format_with_uncertainty(p.gain_db, p.u_gain_db, "dB"),
               phase = format_with_uncertainty(p.phase_deg, p.u_phase_deg, "deg");
    set_cell(table_, row, 0, QString::number(row + 1), true);
    table_->item(row, 0)->setData(Qt::UserRole, p.index);
    set_cell(table_, row, 1, text(format_quantity(p.frequency, "Hz", 5)), true);
    set_cell(table_, row, 2, text(gain), true);
    set_cell(table_, row, 3, QString::fromStdString(gain.uncertainty), true);
    set_cell(table_, row, 4, view->curve.has_phase ? text(phase) : "\u2013", true);
    set_cell(table_, row, 5, QString::fromStdString(phase.uncertainty), true);
    set_cell(table_, row, 6, share(p.stimulus.range_share), true);
    set_cell(table_, row, 7, share(p.response.range_share), true);
  }
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
  column->addWidget(table_);
  for (const auto change : {&Session::shown_changed, &Session::running_changed})
    connect(session_, change, this, &FiguresLens::refill);
  connect(session_, &Session::take_read, this, &FiguresLens::refill);
}

void FiguresLens::refill() {
  const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
  table_->setRowCount(0);
  if (!view) return;
  const auto& reading = view->analysis.reading;
  table_->setRowCount(int(reading.figures.size() + reading.absent.size() + reading.doubts.size()));
  int row = 0;
  for (const auto& f : reading.figures) {
    const auto value = format_with_uncertainty(f.value, f.u, f.unit);
    set_cell(table_, row, 0, QString::fromStdString(f.label), false);
    set_cell(table_, row, 1, text(value), true);
    set_cell(table_, row, 2, QString::fromStdString(value.uncertainty), true);
    set_cell(table_, row, 3, QString::fromStdString(f.key), false);
    ++row;
  }
  for (const auto& a : reading.absent) {
    set_cell(table_, row, 0, QString::fromStdString(a.label), false);
    set_cell(table_, row, 1, "\u2013", true);
    set_cell(table_, row, 3, QString::fromStdString(a.key), false);
    set_cell(table_, row, 4, QString::fromStdString(a.reason), false);
    ++row;
  }
  for (const auto& d : reading.doubts) {
    set_cell(table_, row, 0, d.severity == study::Severity::note ? "Note" : "Doubt", false);
    set_cell(table_, row, 3, QString::fromStdString(d.key), false);
    set_cell(table_, row, 4, QString::fromStdString(d.text + " " + d.remedy), false);
    ++row;
  }
}

}  // namespace heron::app
