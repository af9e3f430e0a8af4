#include "wiring_lens.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/ink.h"
#include "app/lenses/table.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"
#include "power_kind_view.h"
#include "render/theme.h"

namespace heron::app {

namespace power = study::power;

WiringLens::WiringLens(Desk* desk, QWidget* parent) : Lens(desk, parent), said_(new QLabel(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  said_->setWordWrap(true);
  said_->setFont(render::text_font(13));
  said_->setAccessibleName("What the wiring looks like");
  column->addWidget(said_);
  auto* row = new QHBoxLayout;
  apply_ = new QPushButton("Take it as explained", this);
  apply_->setToolTip("Re-assigns the channels of this study as the explanation says; raw data stay as they are");
  undo_ = new QPushButton("As they were connected", this);
  undo_->setToolTip("Takes all re-assignments of channels back");
  row->addWidget(apply_);
  row->addWidget(undo_);
  row->addStretch(1);
  column->addLayout(row);
  table_ = make_table({{"Channel", false, 120}, {"Is said to be", false, 150}, {"Rms", true, 110}, {"Frequency", true, 110}, {"Angle to the first voltage", true, 180}, {"", false}}, this);
  table_->setAccessibleName("Channels as they look");
  column->addWidget(table_, 1);
  connect(apply_, &QPushButton::clicked, this, [this] {
    const auto study = desk_->focus.study_id();
    for (const auto& [key, value] : ready_.remedy)
      if (const auto trouble = desk_->document.edit_setting(study, key, text(value)); !trouble.isEmpty()) desk_->messages.say_trouble(trouble, study);
  });
  connect(undo_, &QPushButton::clicked, this, [this] {
    const auto study = desk_->focus.study_id();
    for (const auto& key : ready_.set)
      if (const auto trouble = desk_->document.edit_setting(study, key, "none"); !trouble.isEmpty()) desk_->messages.say_trouble(trouble, study);
  });
  connect(&desk_->focus, &Focus::shown_changed, this, &WiringLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, &WiringLens::reload);
  connect(&desk_->runner, &Runner::running_changed, this, &WiringLens::reload);
}

void WiringLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

void WiringLens::reload() {
  if (!isVisible()) return;
  const auto view = desk_->readings.shown();
  if (!view || !view->reduced) {
    fill({.check = {}, .remedy = {}, .set = {}, .trouble = desk_->focus.shown() ? "reading\u2026" : "Nothing is taken yet. Space takes; the first take shows whether each channel is what it is said to be."});
    return;
  }
  working_.ask(
      [view] {
        Ready out;
        const auto* reduced = power_of(view.get());
        const auto settings = power::settings_from_text(view->analysis.settings);
        if (!reduced || !settings) return out;
        for (const auto& [role, wire] : settings->wires) out.set.push_back("wire." + role);
        const auto records = reduced->read_records(*settings);
        if (!records || records->empty()) {
          out.trouble = records ? QString("No raw record was kept.") : text(records.error().message);
          return out;
        }
        const auto& last = *records->back();
        if (!last.measured) {
          out.trouble = text("The channels cannot be told: " + last.measured.error() + ".");
          return out;
        }
        out.check = power::check_wiring(*last.record, last.wiring, *last.measured, *settings);
        if (!out.check.explanations.empty()) out.remedy = power::wires_of(*last.record, last.wiring, out.check.explanations.front());
        return out;
      },
      [this](const Ready& ready) { fill(ready); });
}

void WiringLens::fill(const Ready& ready) {
  ready_ = ready;
  const auto& check = ready_.check;
  QString said = ready_.trouble;
  if (!check.untold.empty()) said = text("The channels cannot be told: " + check.untold + ". Set cycles_by to the current.");
  if (said.isEmpty() && check.explanations.empty())
    said = check.channels.empty() ? QString() : QString("Each channel looks like what it is said to be.");
  if (!check.explanations.empty()) {
    said = "It fits if " + text(check.explanations.front().said) + ".";
    if (check.explanations.size() > 1) said += " Less well: if " + text(check.explanations[1].said) + ".";
    QStringList how;
    for (const auto& [key, value] : ready_.remedy) how << text(key + " = " + value);
    said += "  (" + how.join(", ") + ")";
  }
  said_->setText(said);
  set_ink(*said_, check.explanations.empty() ? render::theme().slate : render::theme().bill_text);
  apply_->setVisible(!check.explanations.empty());
  undo_->setVisible(!ready_.set.empty());
  table_->setRowCount(int(check.channels.size()));
  int row = 0;
  for (const auto& c : check.channels) {
    set_cell(table_, row, 0, text(c.quantity), false);
    set_cell(table_, row, 1, text(std::string(c.voltage ? "voltage " : "current ") + c.phase), false);
    set_cell(table_, row, 2, text(format_quantity(c.rms, c.unit, 4).plain()), true);
    set_cell(table_, row, 3, text(format_quantity(c.frequency, "Hz", 5).plain()), true);
    set_cell(table_, row, 4, QString::number(c.angle, 'f', 1).replace('-', QChar(0x2212)) + "\u00b0", true);
    set_cell(table_, row, 5, QString(), false);
    ++row;
  }
}

}  // namespace heron::app
