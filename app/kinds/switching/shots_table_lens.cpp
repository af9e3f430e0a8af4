#include "shots_table_lens.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>

#include "app/lenses/table.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"

namespace heron::app {

namespace switching = study::switching;
using switching::Key;

namespace {

struct ShotColumn {
  QString name;
  const char* unit;
  std::function<std::optional<double>(const switching::ReadShot&)> of;
};

const std::vector<ShotColumn>& shot_columns() {
  static const std::vector<ShotColumn> all = [] {
    const auto event = [](const switching::ReadShot& s) { return s.off ? &s.off->event : s.on ? &s.on->event : nullptr; };
    std::vector<ShotColumn> out = {{"Current", "A", [event](const auto& s) { return event(s) ? std::optional(event(s)->load.value) : std::nullopt; }},
                                   {"Bus", "V", [event](const auto& s) { return event(s) ? std::optional(event(s)->bus.value) : std::nullopt; }},
                                   {"Gate resistor", "ohm", [](const auto& s) { return s.setting.resistor; }},
                                   {"Temperature", "degC", [](const auto& s) { return s.setting.temperature; }}};
    for (const auto key : {Key::energy_on, Key::energy_off, Key::energy_recovery, Key::rise_time, Key::fall_time, Key::overshoot_voltage, Key::recovery_charge})
      out.push_back({QString::fromLatin1(switching::definition(key).name), switching::definition(key).unit, [key](const switching::ReadShot& s) {
                       const auto& f = s.get(key);
                       return f.value ? std::optional(*f.value) : std::nullopt;
                     }});
    return out;
  }();
  return all;
}

}  // namespace

ShotsTableLens::ShotsTableLens(Desk* desk, QWidget* parent) : Lens(desk, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  QList<TableColumn> heads = {{"Shot", true, 56}};
  for (const auto& c : shot_columns()) heads << TableColumn{c.name, true, 104};
  table_ = make_table(heads, this);
  table_->setAccessibleName("Shots");
  table_->setToolTip("Enter opens a shot. Ctrl+C copies all, in SI numbers");
  column->addWidget(table_);
  auto* shortcut = new QShortcut(QKeySequence::Copy, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(shortcut, &QShortcut::activated, this, &ShotsTableLens::copy);
  connect(table_, &QTableWidget::cellActivated, this, [this](int row, int) { emit point_chosen(table_->item(row, 0)->data(Qt::UserRole).toInt()); });
  connect(&desk_->focus, &Focus::shown_changed, this, &ShotsTableLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &ShotsTableLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &ShotsTableLens::refill);
}

void ShotsTableLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void ShotsTableLens::refill() {
  if (!isVisible()) return;
  const auto view = desk_->readings.shown();
  if (!view || !switching_of(view.get())) {
    shots_.clear();
    return fill();
  }
  working_.ask(
      [view] {
        const auto settings = switching::settings_from_text(view->analysis.settings);
        if (!settings) return std::vector<switching::ReadShotPtr>{};
        auto shots = switching_of(view.get())->read_shots(*settings);
        return shots ? std::move(*shots) : std::vector<switching::ReadShotPtr>{};
      },
      [this](const std::vector<switching::ReadShotPtr>& shots) {
        shots_ = shots;
        fill();
      });
}

void ShotsTableLens::fill() {
  const auto& columns = shot_columns();
  table_->setRowCount(int(shots_.size()));
  for (int c = 0; c < int(columns.size()); ++c)
    table_->setColumnHidden(c + 1, std::none_of(shots_.begin(), shots_.end(), [&](const auto& s) { return columns[std::size_t(c)].of(*s).has_value(); }));
  for (int row = 0; row < int(shots_.size()); ++row) {
    const auto& shot = *shots_[std::size_t(row)];
    set_cell(table_, row, 0, QString::number(shot.setting.point + 1), true);
    table_->item(row, 0)->setData(Qt::UserRole, shot.setting.point);
    for (int c = 0; c < int(columns.size()); ++c) {
      const auto value = columns[std::size_t(c)].of(shot);
      set_cell(table_, row, c + 1, value ? text(format_quantity(*value, columns[std::size_t(c)].unit, 4).plain()) : QString("\u2013"), true);
    }
  }
}

/// Full numbers, SI.
void ShotsTableLens::copy() {
  QStringList head = {"shot"}, out;
  for (const auto& c : shot_columns()) head << QString("%1 (%2)").arg(c.name, c.unit);
  out << head.join('\t');
  for (const auto& shot : shots_) {
    QStringList cells = {QString::number(shot->setting.point + 1)};
    for (const auto& c : shot_columns()) {
      const auto value = c.of(*shot);
      cells << (value ? QString::number(*value, 'g', 12) : QString());
    }
    out << cells.join('\t');
  }
  QApplication::clipboard()->setText(out.join("\n") + "\n");
}

}  // namespace heron::app
