#include "datasheet_lens.h"

#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QShortcut>
#include <QVBoxLayout>

#include "app/ink.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "app/lenses/table.h"
#include "iv_view.h"

namespace heron::app {

using study::iv::PointOf;

DatasheetLens::DatasheetLens(Desk* desk, QWidget* parent) : Lens(desk, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  of_ = new QComboBox(this);
  of_->addItems({"Current", "Voltage", "Current gain"});
  of_->setAccessibleName("What the datasheet names");
  row->addWidget(of_);
  const auto field = [&](const char* name, const char* before, int width) {
    auto* label = new QLabel(before, this);
    set_ink(*label, render::theme().slate);
    row->addWidget(label);
    auto* edit = new QLineEdit(this);
    edit->setAccessibleName(name);
    edit->setFixedWidth(width);
    connect(edit, &QLineEdit::returnPressed, this, &DatasheetLens::add);
    row->addWidget(edit);
    return edit;
  };
  at_ = field("Datasheet: at", "at", 80);
  step_ = field("Datasheet: step", "and", 80);
  least_ = field("Datasheet: least", "least", 80);
  typical_ = field("Datasheet: typical", "typical", 80);
  most_ = field("Datasheet: most", "most", 80);
  const auto button = [&](const char* name, const char* tip, auto slot) {
    auto* b = new QPushButton(name, this);
    b->setAccessibleName(QString("Datasheet: ") + name);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, slot);
    row->addWidget(b);
  };
  button("Add", "A row of the datasheet becomes a claim (Enter)", &DatasheetLens::add);
  button("Paste", "Rows from a copied table: at, step, least, typical, most", &DatasheetLens::paste);
  button("Take out", "The chosen rows are claims no more (Delete)", &DatasheetLens::remove);
  row->addStretch(1);
  column->addLayout(row);
  table_ = make_table({{"Datasheet", false, 110},
                       {"At", true, 80},
                       {"Step", true, 80},
                       {"Least", true, 90},
                       {"Typical", true, 90},
                       {"Most", true, 90},
                       {"Read", true, 110},
                       {"\u00b1 (k = 2)", true, 90},
                       {"Verdict", false}},
                      this);
  table_->setAccessibleName("Points of the datasheet");
  column->addWidget(table_);
  auto* drop = new QShortcut(QKeySequence::Delete, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(drop, &QShortcut::activated, this, &DatasheetLens::remove);
  auto* pasted = new QShortcut(QKeySequence::Paste, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(pasted, &QShortcut::activated, this, &DatasheetLens::paste);
  connect(of_, &QComboBox::currentIndexChanged, this, &DatasheetLens::show_units);
  connect(&desk_->focus, &Focus::shown_changed, this, &DatasheetLens::refill);
  connect(&desk_->focus, &Focus::takes_changed, this, &DatasheetLens::refill);
  connect(&desk_->focus, &Focus::plan_changed, this, &DatasheetLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &DatasheetLens::refill);
  show_units();
}

PointOf DatasheetLens::chosen() const { return PointOf(of_->currentIndex()); }

/// What is wanted in each field, in the units of what is chosen and of the study's step.
void DatasheetLens::show_units() {
  const bool by_current = chosen() == PointOf::voltage;
  at_->setPlaceholderText(by_current ? "10 mA" : "3 V");
  const auto* stepped = sweep_plan(*desk_) ? sweep_plan(*desk_)->stepped() : nullptr;
  step_->setPlaceholderText(stepped ? text(format_setting(study::iv::list_of(stepped->values).back(), stepped->unit()))
                                    : "no step");
  const char* example = by_current ? "650 mV" : chosen() == PointOf::gain ? "0.2" : "2 mA";
  for (auto* edit : {least_, typical_, most_}) edit->setPlaceholderText(example);
}

void DatasheetLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  show_units();
  refill();
}

void DatasheetLens::refill() {
  if (!isVisible()) return;
  rows_.clear();
  table_->setRowCount(0);
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  for (const auto& claim : desk_->focus.claims()) {
    const auto point = study::iv::point_of(claim);
    if (!point) continue;
    const int row = table_->rowCount();
    table_->setRowCount(row + 1);
    rows_.push_back(claim);
    const auto put = [&](int column, const std::string& typed) {
      set_cell(table_, row, column, typed.empty() ? QString("\u2013") : text(typed), true);
    };
    set_cell(table_, row, 0, of_->itemText(int(point->of)), false);
    put(1, point->at);
    put(2, point->step);
    put(3, point->least);
    put(4, point->typical);
    put(5, point->most);
    if (!view) continue;
    for (const auto& line : view->lines) {
      if (!line.claim || line.claim->text != claim.text) continue;
      const auto& j = line.judgement;
      if (j.value) {
        const auto value = format_with_uncertainty(*j.value, j.u, j.unit);
        set_cell(table_, row, 6, text(value.plain()), true);
        set_cell(table_, row, 7, text(value.uncertainty), true);
      }
      QString verdict = QString::fromUtf8(judge::verdict_words(j.verdict).data());
      if (!j.reason.empty()) verdict += ": " + text(j.reason);
      set_cell(table_, row, 8, verdict, false);
      if (j.verdict == judge::Verdict::fails) table_->item(row, 8)->setForeground(render::theme().bill_text);
    }
  }
}

void DatasheetLens::add() {
  const auto of = [](QLineEdit* edit) { return edit->text().trimmed().toStdString(); };
  const auto claim = study::iv::claim_of({chosen(), of(at_), of(step_), of(least_), of(typical_), of(most_)});
  if (!claim) {
    desk_->complain(text(claim.error().message));
    return;
  }
  desk_->document.add_claims(desk_->focus.study_id(), {*claim});
  for (auto* edit : {at_, least_, typical_, most_}) edit->clear();
  at_->setFocus();
}

void DatasheetLens::paste() {
  const auto points = study::iv::points_from_text(chosen(), QApplication::clipboard()->text().toStdString());
  if (!points) {
    desk_->complain(text(points.error().message));
    return;
  }
  std::vector<judge::Claim> claims;
  for (const auto& p : *points) claims.push_back(*study::iv::claim_of(p));
  desk_->document.add_claims(desk_->focus.study_id(), claims);
}

void DatasheetLens::remove() {
  std::vector<judge::Claim> chosen_rows;
  for (const auto& index : table_->selectionModel()->selectedRows())
    chosen_rows.push_back(rows_[std::size_t(index.row())]);
  for (const auto& claim : chosen_rows) desk_->document.remove_claim(desk_->focus.study_id(), claim);
}

}  // namespace heron::app
