#include "readings_lens.h"

#include <QApplication>
#include <QClipboard>
#include <QShortcut>
#include <QVBoxLayout>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "app/lenses/table.h"
#include "iv_view.h"

namespace heron::app {
namespace {

std::optional<double> whole_uncertainty(const std::optional<study::iv::Doubtful>& u) {
  return u ? std::optional(std::hypot(u->noise, u->shared)) : std::nullopt;
}

}  // namespace

ReadingsLens::ReadingsLens(Desk* desk, QWidget* parent) : Lens(desk, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  table_ = make_table({{"Point", true, 64},
                       {"Step", true},
                       {"Voltage", true},
                       {"\u00b1 (k = 2)", true},
                       {"Current", true},
                       {"\u00b1 (k = 2)", true},
                       {"Current range", true},
                       {"Remark", false}},
                      this);
  table_->setAccessibleName("Readings");
  table_->setToolTip("Ctrl+C copies the chosen rows, or all, in SI numbers");
  table_->setSortingEnabled(true);
  table_->sortByColumn(0, Qt::AscendingOrder);
  column->addWidget(table_);
  auto* shortcut = new QShortcut(QKeySequence::Copy, table_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(shortcut, &QShortcut::activated, this, &ReadingsLens::copy);
  connect(&desk_->focus, &Focus::shown_changed, this, &ReadingsLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &ReadingsLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &ReadingsLens::refill);
}

void ReadingsLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void ReadingsLens::refill() {
  if (!isVisible()) return;
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  table_->setSortingEnabled(false);
  table_->setRowCount(family_of(view) ? int(family_of(view)->size()) : 0);
  int row = 0;
  if (family_of(view))
    for (const auto& curve : family_of(view)->curves)
      for (const auto& p : curve.points) {
        const auto v = format_with_uncertainty(p.voltage, whole_uncertainty(p.u_voltage), "V"),
                   i = format_with_uncertainty(p.current, whole_uncertainty(p.u_current), "A");
        set_cell(table_, row, 0, QString::number(p.index + 1), true, p.index);
        set_cell(table_, row, 1,
                 curve.step ? text(format_setting(*curve.step, family_of(view)->step_unit)) : QString("\u2013"), true,
                 curve.step.value_or(0));
        set_cell(table_, row, 2, text(v.plain()), true, p.voltage);
        set_cell(table_, row, 3, text(v.uncertainty), true, whole_uncertainty(p.u_voltage).value_or(0));
        set_cell(table_, row, 4, text(i.plain()), true, p.current);
        set_cell(table_, row, 5, text(i.uncertainty), true, whole_uncertainty(p.u_current).value_or(0));
        set_cell(table_, row, 6, p.current_range > 0 ? text(format_setting(p.current_range, "A")) : QString("\u2013"),
                 true, p.current_range);
        set_cell(table_, row, 7, p.at_compliance ? "at compliance" : "", false);
        if (p.at_compliance)
          for (int column = 0; column < table_->columnCount(); ++column)
            table_->item(row, column)->setForeground(render::theme().slate);
        ++row;
      }
  table_->setSortingEnabled(true);
}

/// Full numbers, SI, in the order that is shown.
void ReadingsLens::copy() {
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  if (!view || !family_of(view)) return;
  std::map<int, QStringList> lines;
  const auto number = [](double v) { return QString::number(v, 'g', 12); };
  for (const auto& curve : family_of(view)->curves)
    for (const auto& p : curve.points)
      lines[p.index] = {curve.step ? number(*curve.step) : QString(), number(p.voltage), number(p.current)};
  QStringList out = {"step\tvoltage (V)\tcurrent (A)"};
  const bool some = table_->selectionModel()->hasSelection();
  for (int row = 0; row < table_->rowCount(); ++row)
    if (!some || table_->selectionModel()->isRowSelected(row))
      out << lines[table_->item(row, 0)->text().toInt() - 1].join('\t');
  QApplication::clipboard()->setText(out.join("\n") + "\n");
}

}  // namespace heron::app
