#include "device_page.h"

#include <QHeaderView>
#include <QInputDialog>
#include <QPushButton>
#include <QVBoxLayout>

#include "base/quantity.h"
#include "lenses/table_lenses.h"
#include "render/theme.h"
#include "sim/device.h"

namespace heron::app {

using render::theme;

namespace {
enum Column { kName, kKind, kNominal, kTolerance, kFitted, kNote };
}

DevicePage::DevicePage(Session* session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("sheet");
  setAttribute(Qt::WA_StyledBackground);
  setFocusPolicy(Qt::StrongFocus);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 12, 20, 12);
  column->setSpacing(8);
  title_ = new QLineEdit(this);
  title_->setObjectName("written");
  title_->setFont(render::text_font(18, QFont::Medium));
  title_->setAccessibleName("Name of the device");
  title_->setToolTip("The device's name; click to change it");
  about_ = new QLineEdit(this);
  about_->setObjectName("written");
  about_->setAccessibleName("What the device is");
  about_->setPlaceholderText("What it is, in a few words");
  auto* row = new QHBoxLayout;
  auto* unit_label = new QLabel("Unit on the bench", this);
  units_ = new QComboBox(this);
  units_->setAccessibleName("Unit");
  units_->setToolTip("The unit that the next take measures");
  unit_label->setBuddy(units_);
  auto* add = new QPushButton("Add a unit\u2026", this);
  add->setAccessibleName("Add a unit");
  row->addWidget(unit_label);
  row->addWidget(units_);
  row->addWidget(add);
  row->addStretch(1);
  parts_ = make_table({{"Part", false, 90},
                       {"Kind", false, 140},
                       {"Nominal", true, 120},
                       {"Tolerance", true, 110},
                       {"Fitted on this unit", true, 170},
                       {"Note", false}},
                      this);
  parts_->setObjectName("parts");
  parts_->setAccessibleName("Parts");
  parts_->setSelectionBehavior(QAbstractItemView::SelectItems);
  parts_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                          QAbstractItemView::AnyKeyPressed | QAbstractItemView::SelectedClicked);
  refusal_ = new QLabel(this);
  refusal_->setObjectName("part-refusal");
  refusal_->setStyleSheet(QString("color: %1").arg(theme().rust.name()));
  ratings_ = new QLabel(this);
  ratings_->setWordWrap(true);
  auto* words = new QLabel(
      "Type a value where a part was measured or another one fitted, such as 82 nF or 4n7; clear it to go back to the "
      "nominal part "
      "within its tolerance. Takes already made keep the values they were made with.",
      this);
  words->setWordWrap(true);
  words->setStyleSheet(QString("color: %1").arg(theme().slate.name()));
  column->addWidget(title_);
  column->addWidget(about_);
  column->addLayout(row);
  column->addWidget(parts_, 1);
  column->addWidget(refusal_);
  column->addWidget(ratings_);
  column->addWidget(words);

  connect(session_, &Session::device_changed, this, &DevicePage::refill);
  for (auto* field : {title_, about_})
    connect(field, &QLineEdit::editingFinished, this, [this] {
      const QString trouble = session_->rename_device(title_->text(), about_->text());
      refusal_->setText(trouble);
      if (!trouble.isEmpty()) title_->setText(QString::fromStdString(session_->device().name));
    });
  connect(units_, &QComboBox::activated, this,
          [this](int index) { session_->select_unit(units_->itemData(index).toLongLong()); });
  connect(add, &QPushButton::clicked, this, [this] {
    bool ok = false;
    const QString name =
        QInputDialog::getText(this, "Add a unit", "Name of the unit", QLineEdit::Normal,
                              QString("unit %1").arg(session_->units().size() + 1, 2, 10, QChar('0')), &ok);
    if (ok) refusal_->setText(session_->add_unit(name));
  });
  connect(parts_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (filling_ || item->column() != kFitted) return;
    const QString name = parts_->item(item->row(), kName)->text();
    const QString trouble = session_->set_fitted(name.toStdString(), item->text());
    refusal_->setText(trouble.isEmpty() ? QString() : name + ": " + trouble);
    if (!trouble.isEmpty()) QMetaObject::invokeMethod(this, &DevicePage::refill, Qt::QueuedConnection);
  });
}

void DevicePage::refill() {
  filling_ = true;
  const int row_before = parts_->currentRow(), column_before = parts_->currentColumn();
  title_->setText(QString::fromStdString(session_->device().name));
  about_->setText(QString::fromStdString(session_->device().about));
  units_->clear();
  for (const auto& unit : session_->units()) {
    units_->addItem(QString::fromStdString(unit.name), QVariant::fromValue(qlonglong(unit.id)));
    if (unit.id == session_->unit().id) units_->setCurrentIndex(units_->count() - 1);
  }
  const auto values = sim::main_values(session_->circuit());
  parts_->setRowCount(int(values.size()));
  int row = 0;
  for (const auto& [name, value] : values) {
    const auto* part = session_->circuit().find(name);
    const auto unit = part->kind->values.front().unit;
    const QString key = QString::fromStdString(name);
    set_cell(parts_, row, kName, key, true);
    parts_->item(row, kName)->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    set_cell(parts_, row, kKind, QString::fromUtf8(part->kind->name.data(), qsizetype(part->kind->name.size())), false);
    set_cell(parts_, row, kNominal, QString::fromStdString(format_setting(value.value, unit)), true);
    set_cell(parts_, row, kTolerance, value.tolerance > 0 ? QString("\u00b1%1 %").arg(100 * value.tolerance) : "exact",
             true);
    const auto fitted = session_->unit().fitted.find(name);
    set_cell(parts_, row, kFitted,
             fitted == session_->unit().fitted.end() ? QString()
                                                     : QString::fromStdString(format_setting(fitted->second, unit)),
             true);
    set_cell(parts_, row, kNote, QString::fromStdString(part->note), false);
    for (const int c : {kName, kKind, kNominal, kTolerance, kNote})
      parts_->item(row, c)->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    parts_->item(row, kFitted)->setToolTip("Enter or a double click changes it");
    parts_->item(row, kFitted)->setData(Qt::AccessibleTextRole, "Fitted value of " + key);
    ++row;
  }
  if (row_before >= 0 && row_before < row) parts_->setCurrentCell(row_before, column_before);
  QStringList limits;
  for (const auto& [pin, rating] : session_->circuit().ratings)
    if (rating.voltage)
      limits << QString("%1: %2 peak")
                    .arg(QString::fromStdString(pin), QString::fromStdString(format_setting(*rating.voltage, "V")));
  ratings_->setText(values.empty()     ? "The device has no circuit; takes can be brought in from files."
                    : limits.isEmpty() ? "No ratings are stated."
                                       : "Ratings, never exceeded: " + limits.join("; "));
  filling_ = false;
}

}  // namespace heron::app
