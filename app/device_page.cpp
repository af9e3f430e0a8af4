#include "device_page.h"

#include <QHeaderView>
#include <QInputDialog>
#include <QPushButton>
#include <QVBoxLayout>

#include "base/quantity.h"
#include "ink.h"
#include "lenses/table.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

namespace {
enum Column { kName, kKind, kNominal, kTolerance, kFitted, kNote };
enum RatingColumn { kOf, kFirstRating };
enum ExpectationColumn { kWhat, kFormula, kUnit, kValue };

/// What limits the drive; the surroundings' temperature is not driven.
std::vector<const device::RatingField*> shown_ratings() {
  std::vector<const device::RatingField*> out;
  for (const auto& field : device::rating_fields())
    if (field.member != &device::Rating::temperature) out.push_back(&field);
  return out;
}

/// A table whose cells are typed into keeps the keys for itself.
QTableWidget* typed_table(const QList<TableColumn>& columns, const QString& name, QWidget* parent) {
  auto* table = make_table(columns, parent);
  table->setAccessibleName(name);
  table->setProperty("typed", true);
  table->setSelectionBehavior(QAbstractItemView::SelectItems);
  table->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                         QAbstractItemView::AnyKeyPressed | QAbstractItemView::SelectedClicked);
  return table;
}

void fix(QTableWidgetItem* item) { item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable); }

}  // namespace

DevicePage::DevicePage(Desk* desk, QWidget* parent) : QWidget(parent), desk_(desk) {
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
  const auto line = [this](const QString& name, const QString& placeholder, const QString& tip) {
    auto* out = new QLineEdit(this);
    out->setAccessibleName(name);
    out->setPlaceholderText(placeholder);
    out->setToolTip(tip);
    return out;
  };
  serial_ = line("Serial number", "serial number", "What stands on the unit");
  serial_->setFixedWidth(150);
  unit_note_ = line("Note on the unit", "a note on this unit", "Found again in the finder (Ctrl+K), and told in the report");
  device_note_ = line("Note on the device", "a note on the device", "Found again in the finder (Ctrl+K), and told in the report");
  row->addWidget(serial_);
  row->addWidget(unit_note_, 1);
  parts_ = typed_table({{"Part", false, 90},
                        {"Kind", false, 140},
                        {"Nominal", true, 120},
                        {"Tolerance", true, 110},
                        {"Measured or fitted", true, 170},
                        {"Note", false}},
                       "Parts", this);
  parts_->setObjectName("parts");
  QList<TableColumn> rated = {{"Never above", false, 112}};
  for (const auto* field : shown_ratings()) rated.append({field->label, true, 69});
  rated.back().width = 0;
  ratings_ = typed_table(rated, "Ratings", this);
  expectations_ =
      typed_table({{"It should show", false, 120}, {"by its parts", false, 132}, {"Unit", false, 46}, {"Value", true}},
                  "Expectations", this);
  refusal_ = new QLabel(this);
  refusal_->setObjectName("part-refusal");
  set_ink(*refusal_, theme().rust);
  auto* words = new QLabel(
      "Type a value where a part was measured or another one fitted, such as 82 nF or 82.3 nF \u00b10.5 %; clear it to "
      "go "
      "back to the nominal part. A row typed below the last expectation adds one. Takes already made keep what they "
      "were "
      "made with.",
      this);
  words->setWordWrap(true);
  set_ink(*words, theme().slate);
  column->addWidget(title_);
  column->addWidget(about_);
  column->addWidget(device_note_);
  column->addLayout(row);
  column->addWidget(parts_, 3);
  column->addWidget(refusal_);
  auto* below = new QHBoxLayout;
  below->setSpacing(16);
  below->addWidget(ratings_, 12);
  below->addWidget(expectations_, 10);
  column->addLayout(below, 2);
  column->addWidget(words);

  connect(&desk_->focus, &Focus::device_changed, this, &DevicePage::refill);
  for (auto* field : {title_, about_})
    connect(field, &QLineEdit::editingFinished, this, [this] {
      const QString trouble = desk_->document.rename_device(desk_->focus.assembly(), title_->text(), about_->text());
      refusal_->setText(trouble);
      if (!trouble.isEmpty()) title_->setText(QString::fromStdString(desk_->focus.device().info.name));
    });
  connect(device_note_, &QLineEdit::editingFinished, this, [this] { desk_->document.set_device_note(device_note_->text().trimmed()); });
  for (auto* words_of_unit : {serial_, unit_note_})
    connect(words_of_unit, &QLineEdit::editingFinished, this, [this] { desk_->document.set_unit_words(desk_->focus.device().unit.id, serial_->text().trimmed(), unit_note_->text().trimmed()); });
  connect(units_, &QComboBox::activated, this,
          [this](int index) { desk_->document.select_unit(units_->itemData(index).toLongLong()); });
  connect(add, &QPushButton::clicked, this, [this] {
    bool ok = false;
    const QString name =
        QInputDialog::getText(this, "Add a unit", "Name of the unit, or of several: unit 08 to unit 40", QLineEdit::Normal,
                              QString("unit %1").arg(desk_->document.units(desk_->focus.assembly()).size() + 1, 2, 10, QChar('0')), &ok);
    if (ok) refusal_->setText(desk_->document.add_unit(name));
  });
  connect(ratings_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (filling_ || item->column() == kOf) return;
    const QString name = ratings_->item(item->row(), kOf)->text();
    const QString trouble = desk_->document.set_rating(desk_->focus.assembly(), 
        name.toStdString(), *shown_ratings()[std::size_t(item->column() - kFirstRating)], item->text());
    refusal_->setText(trouble.isEmpty() ? QString() : name + ": " + trouble);
    if (!trouble.isEmpty()) QMetaObject::invokeMethod(this, &DevicePage::refill, Qt::QueuedConnection);
  });
  connect(expectations_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (filling_ || item->column() == kValue) return;
    auto list = desk_->focus.device().info.expectations;
    const auto at = std::size_t(item->row());
    if (at >= list.size()) list.resize(at + 1);
    const auto text = item->text().trimmed().toStdString();
    (item->column() == kWhat ? list[at].name : item->column() == kFormula ? list[at].formula : list[at].unit) = text;
    std::erase_if(list, [](const device::Expectation& e) { return e.name.empty() && e.formula.empty(); });
    // A formula that makes no sense is kept as typed and says so in its value; it is hers to mend.
    QMetaObject::invokeMethod(
        this, [this, list] { refusal_->setText(desk_->document.set_expectations(desk_->focus.assembly(), list)); }, Qt::QueuedConnection);
  });
  connect(parts_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (filling_ || item->column() != kFitted) return;
    const QString name = parts_->item(item->row(), kName)->text();
    const QString trouble = desk_->document.set_fitted(desk_->focus.assembly(), name.toStdString(), item->text());
    refusal_->setText(trouble.isEmpty() ? QString() : name + ": " + trouble);
    if (!trouble.isEmpty()) QMetaObject::invokeMethod(this, &DevicePage::refill, Qt::QueuedConnection);
  });
}

void DevicePage::refill_ratings() {
  const auto& device = desk_->focus.device();
  std::vector<std::string> names = {"device"};
  names.insert(names.end(), device.terminals.begin(), device.terminals.end());
  names.insert(names.end(), device.branches.begin(), device.branches.end());
  if (!device.circuit) names.clear();
  ratings_->setRowCount(int(names.size()));
  for (int row = 0; row < int(names.size()); ++row) {
    const auto& name = names[std::size_t(row)];
    const auto it = device.ratings.find(name);
    const device::Rating rating = it == device.ratings.end() ? device::Rating{} : it->second;
    set_cell(ratings_, row, kOf, QString::fromStdString(name), false);
    fix(ratings_->item(row, kOf));
    int column = kFirstRating;
    for (const auto* field : shown_ratings()) {
      const auto& value = rating.*field->member;
      set_cell(ratings_, row, column, value ? QString::fromStdString(format_setting(*value, field->unit)) : QString(),
               true);
      ratings_->item(row, column++)->setToolTip("Never driven beyond; Enter or a double click changes it");
    }
  }
}

void DevicePage::refill_expectations() {
  const auto& list = desk_->focus.device().info.expectations;
  const auto facts = desk_->focus.device().part_facts();
  expectations_->setRowCount(int(list.size()) + 1);
  for (int row = 0; row <= int(list.size()); ++row) {
    const bool there = row < int(list.size());
    const auto e = there ? list[std::size_t(row)] : device::Expectation{};
    set_cell(expectations_, row, kWhat, QString::fromStdString(e.name), false);
    set_cell(expectations_, row, kFormula, QString::fromStdString(e.formula), false);
    set_cell(expectations_, row, kUnit, QString::fromStdString(e.unit), false);
    QString value;
    if (there && !e.formula.empty()) {
      const auto expected = device::expect(e.formula, facts);
      value = expected ? QString::fromStdString(format_quantity(expected->value, e.unit, 4).plain()) +
                             QString(" \u00b1%1 %")
                                 .arg(expected->value != 0 ? 100 * expected->worst / std::abs(expected->value) : 0, 0,
                                      'g', 2)
                       : QString::fromStdString(expected.error().message);
      set_cell(expectations_, row, kValue, value, true);
      expectations_->item(row, kValue)
          ->setToolTip(expected ? "With every part at the worse end of its tolerance; likely within \u00b1" +
                                      QString::fromStdString(format_quantity(2 * expected->likely, e.unit, 2).plain())
                                : value);
    } else {
      set_cell(expectations_, row, kValue, QString(), true);
    }
    fix(expectations_->item(row, kValue));
  }
}

void DevicePage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  if (stale_) fill();
}

void DevicePage::refill() {
  // Nobody pays for a page that is not looked at.
  stale_ = true;
  if (isVisible()) fill();
}

void DevicePage::fill() {
  stale_ = false;
  filling_ = true;
  const int row_before = parts_->currentRow(), column_before = parts_->currentColumn();
  title_->setText(QString::fromStdString(desk_->focus.device().info.name));
  about_->setText(QString::fromStdString(desk_->focus.device().info.about));
  device_note_->setText(desk_->document.device_note());
  serial_->setText(QString::fromStdString(desk_->focus.device().unit.serial));
  unit_note_->setText(QString::fromStdString(desk_->focus.device().unit.note));
  units_->clear();
  for (const auto& unit : desk_->document.units(desk_->focus.assembly())) {
    units_->addItem(QString::fromStdString(unit.name), QVariant::fromValue(qlonglong(unit.id)));
    if (unit.id == desk_->focus.device().unit.id) units_->setCurrentIndex(units_->count() - 1);
  }
  const auto& parts = desk_->focus.device().parts;
  parts_->setRowCount(int(parts.size()));
  int row = 0;
  for (const auto& part : parts) {
    const auto& [name, kind, unit, note, nominal, tolerance] = part;
    const QString key = QString::fromStdString(name);
    set_cell(parts_, row, kName, key, true);
    parts_->item(row, kName)->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    set_cell(parts_, row, kKind, QString::fromStdString(kind), false);
    set_cell(parts_, row, kNominal, QString::fromStdString(format_setting(nominal, unit)), true);
    set_cell(parts_, row, kTolerance, tolerance > 0 ? QString("\u00b1%1 %").arg(100 * tolerance) : "exact",
             true);
    const auto fitted = desk_->focus.device().unit.fitted.find(name);
    const auto off = desk_->focus.device().unit.fitted_tolerance.find(name);
    const QString measured =
        off == desk_->focus.device().unit.fitted_tolerance.end() ? QString() : QString(" \u00b1%1 %").arg(100 * off->second);
    set_cell(parts_, row, kFitted,
             fitted == desk_->focus.device().unit.fitted.end()
                 ? QString()
                 : QString::fromStdString(format_setting(fitted->second, unit)) + measured,
             true);
    set_cell(parts_, row, kNote, QString::fromStdString(note), false);
    for (const int c : {kName, kKind, kNominal, kTolerance, kNote})
      parts_->item(row, c)->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    parts_->item(row, kFitted)->setToolTip("Enter or a double click changes it");
    parts_->item(row, kFitted)->setData(Qt::AccessibleTextRole, "Fitted value of " + key);
    ++row;
  }
  if (row_before >= 0 && row_before < row) parts_->setCurrentCell(row_before, column_before);
  refill_ratings();
  refill_expectations();
  filling_ = false;
}

}  // namespace heron::app
