#include "batch_page.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

#include "app/text.h"
#include "base/quantity.h"
#include "ink.h"
#include "once_button.h"
#include "render/theme.h"
#include "run/overview.h"

namespace heron::app {

using dossier::QueueState;
using render::theme;

BatchPage::BatchPage(Desk* desk, QWidget* parent)
    : QWidget(parent), desk_(desk), said_(new QLabel(this)), refusal_(new QLabel(this)), on_bench_(new QComboBox(this)), bar_(new QProgressBar(this)), table_(new QTableWidget(this)) {
  setObjectName("sheet");
  setAttribute(Qt::WA_StyledBackground);
  setAccessibleName("Run all");
  setFocusPolicy(Qt::StrongFocus);
  setFocusProxy(table_);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 10, 20, 12);
  column->setSpacing(8);
  auto* title = new QLabel("Run all", this);
  title->setFont(render::text_font(18, QFont::Medium));
  column->addWidget(title);
  said_->setWordWrap(true);
  said_->setFont(render::text_font(14));
  said_->setAccessibleName("What is to be done");
  column->addWidget(said_);
  set_ink(*refusal_, theme().rust);
  refusal_->setWordWrap(true);
  refusal_->setAccessibleName("Why not");
  refusal_->hide();
  column->addWidget(refusal_);
  auto* row = new QHBoxLayout;
  const auto button = [&](const QString& label, const QString& name, const QString& tip, auto slot) {
    auto* out = new OnceButton(label, this);
    out->setAccessibleName(name);
    out->setToolTip(tip);
    connect(out, &QPushButton::clicked, this, slot);
    row->addWidget(out);
    return out;
  };
  on_bench_->setAccessibleName("Unit on the bench");
  on_bench_->setToolTip("Which unit stands on the bench now");
  row->addWidget(on_bench_);
  start_ = button("Start   Space", "Start", "Makes the ticked takes, unit after unit; it stops before each unit until it is on the bench", [this] {
    desk_->batch.state() == Batch::State::runs ? desk_->batch.stop() : void(handle_key(Qt::Key_Space));
  });
  start_->setObjectName("take");
  skip_ = button("Leave out   S", "Leave out", "What is asked for is not there: goes on without it", [this] { desk_->batch.skip(); });
  all_ = button("Tick all", "Tick all", "Every study on every unit", [this] { set_all(true); });
  none_ = button("Tick none", "Tick none", "Begins from nothing", [this] { set_all(false); });
  away_ = button("Put away", "Put away", "Forgets the row of takes; the takes that were made stay", [this] { desk_->batch.forget(); });
  bar_->setAccessibleName("Progress of the row");
  bar_->setTextVisible(false);
  bar_->setFixedWidth(200);
  row->addWidget(bar_);
  row->addStretch(1);
  column->addLayout(row);
  table_->setAccessibleName("Takes to be made");
  table_->setShowGrid(true);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->verticalHeader()->setDefaultSectionSize(26);
  table_->verticalHeader()->setSectionsClickable(true);
  for (auto* header : {table_->verticalHeader(), table_->horizontalHeader()}) header->setHighlightSections(false);
  table_->horizontalHeader()->setDefaultSectionSize(104);
  table_->setFont(render::text_font(12.5));
  column->addWidget(table_, 1);
  connect(table_, &QTableWidget::cellClicked, this, &BatchPage::toggle);
  connect(table_, &QTableWidget::cellDoubleClicked, this, &BatchPage::open_cell);
  connect(table_->verticalHeader(), &QHeaderView::sectionClicked, this, &BatchPage::toggle_row);
  connect(table_->horizontalHeader(), &QHeaderView::sectionClicked, this, &BatchPage::toggle_column);
  connect(&desk_->batch, &Batch::changed, this, &BatchPage::refresh);
  connect(&desk_->runner, &Runner::progressed, this, [this] {
    if (!isVisible()) return;
    said_->setText(choosing() ? said_->text() : desk_->batch.sentence());
    refresh_cells();
  });
  connect(&desk_->document, &Document::opened, this, [this] {
    ticked_.clear();
    reload();
  });
  connect(&desk_->document, &Document::studies_changed, this, &BatchPage::reload);
}

void BatchPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  reload();
}

bool BatchPage::choosing() const { return desk_->batch.state() == Batch::State::none; }

BatchPage::Cell BatchPage::at(int row, int column) const { return {units_.at(std::size_t(column)), studies_.at(std::size_t(row))}; }

void BatchPage::reload() {
  if (!isVisible() || !desk_->document.is_open()) return;
  const bool first = studies_.empty();
  studies_.clear();
  units_.clear();
  QStringList rows, columns;
  for (const auto& study : desk_->document.studies()) {
    studies_.push_back(study.id);
    rows << text(study.name) + "   " + text(format_duration(desk_->batch.seconds(study.id)));
  }
  on_bench_->clear();
  auto units = desk_->document.units(dossier::kMainAssembly);
  std::sort(units.begin(), units.end(), [](const auto& a, const auto& b) { return run::unit_before(a.name, b.name); });
  for (const auto& unit : units) {
    units_.push_back(unit.id);
    columns << text(unit.name);
    on_bench_->addItem(text(unit.name), QVariant::fromValue(qlonglong(unit.id)));
  }
  table_->clear();
  table_->setRowCount(int(rows.size()));
  table_->setColumnCount(int(columns.size()));
  table_->setVerticalHeaderLabels(rows);
  table_->setHorizontalHeaderLabels(columns);
  for (int r = 0; r < rows.size(); ++r)
    for (int c = 0; c < columns.size(); ++c) {
      auto* item = new QTableWidgetItem;
      item->setTextAlignment(Qt::AlignCenter);
      table_->setItem(r, c, item);
    }
  if (first) set_all(true);
  if (table_->currentRow() < 0 && !studies_.empty() && !units_.empty()) table_->setCurrentCell(0, 0);
  refresh();
}

void BatchPage::refresh() {
  if (!isVisible()) return;
  const auto state = desk_->batch.state();
  start_->setText(state == Batch::State::none     ? "Start   Space"
                  : state == Batch::State::left   ? "Go on   Space"
                  : state == Batch::State::runs   ? "Stop   Esc"
                  : state == Batch::State::wants_arm ? "Arm   Space"
                  : state == Batch::State::armed  ? "Fire   Space"
                                                  : "It is there   Space");
  if (!on_bench_->isVisible()) on_bench_->setCurrentIndex(on_bench_->findData(QVariant::fromValue(qlonglong(desk_->focus.device().unit.id))));
  on_bench_->setVisible(state == Batch::State::left);
  skip_->setVisible(state == Batch::State::wants_unit || state == Batch::State::wants_arm || state == Batch::State::armed);
  all_->setVisible(choosing());
  none_->setVisible(choosing());
  away_->setVisible(!desk_->batch.active() && !desk_->batch.items().empty());
  bar_->setVisible(!desk_->batch.items().empty());
  bar_->setMaximum(std::max(1, int(desk_->batch.items().size())));
  bar_->setValue(desk_->batch.done());
  refusal_->setVisible(false);
  refresh_cells();
  if (!choosing()) return said_->setText(desk_->batch.sentence());
  double seconds = 0;
  std::set<long long> units;
  for (const auto& [unit, study] : ticked_) {
    seconds += desk_->batch.seconds(study);
    units.insert(unit);
  }
  QString words = studies_.empty() ? QString("There is no study to take yet.")
                  : ticked_.empty() ? QString("Nothing is ticked. A click ticks a take, one on a name its whole row or column.")
                                    : QString("%1 %2 on %3 %4, about %5 on a real bench.").arg(ticked_.size()).arg(ticked_.size() == 1 ? "take" : "takes").arg(units.size()).arg(units.size() == 1 ? "unit" : "units").arg(text(format_duration(seconds)));
  if (const auto before = desk_->batch.sentence(); !before.isEmpty()) words = before + " " + words;
  const auto device = desk_->focus.device();
  if (device.circuit && !units_.empty()) words += " Parts of simulated units are drawn within their tolerances, the same ones each time for a unit's name.";
  said_->setText(words);
}

void BatchPage::refresh_cells() {
  std::map<Cell, const dossier::QueueItem*> items;
  for (const auto& item : desk_->batch.items()) items[{item.unit, item.study}] = &item;
  const auto progress = desk_->runner.progress();
  for (int r = 0; r < int(studies_.size()); ++r)
    for (int c = 0; c < int(units_.size()); ++c) {
      auto* cell = table_->item(r, c);
      if (!cell) continue;
      const auto it = items.find(at(r, c));
      const auto* item = it == items.end() ? nullptr : it->second;
      QString words, tip;
      QColor ink = theme().slate;
      if (choosing() && ticked_.contains(at(r, c))) {
        words = "to take";
        ink = theme().heron;
        tip = "A click leaves it out";
      } else if (item && item->state == QueueState::waiting) {
        words = "waiting";
      } else if (item && item->state == QueueState::running) {
        words = progress.total > 0 ? QString("%1 of %2").arg(progress.done).arg(progress.total) : QString("begins");
        ink = theme().heron;
      } else if (item && item->state == QueueState::done) {
        const auto* take = item->take ? desk_->document.take(item->study, *item->take) : nullptr;
        words = take ? QString("take %1").arg(take->number) : QString("made");
        ink = theme().ink;
        tip = "A double click looks at it";
      } else if (item) {
        words = "not made";
        ink = theme().rust;
        tip = text(item->said);
      } else if (choosing()) {
        tip = "A click ticks it";
      }
      cell->setText(words);
      cell->setToolTip(tip);
      cell->setForeground(ink);
    }
}

void BatchPage::toggle(int row, int column) {
  if (!choosing()) return;
  const auto cell = at(row, column);
  if (!ticked_.erase(cell)) ticked_.insert(cell);
  refresh();
}

void BatchPage::toggle_row(int row) {
  if (!choosing()) return;
  const bool all = std::all_of(units_.begin(), units_.end(), [&](auto unit) { return ticked_.contains({unit, studies_[std::size_t(row)]}); });
  for (const auto unit : units_) all ? void(ticked_.erase({unit, studies_[std::size_t(row)]})) : void(ticked_.insert({unit, studies_[std::size_t(row)]}));
  refresh();
}

void BatchPage::toggle_column(int column) {
  if (!choosing()) return;
  const auto unit = units_[std::size_t(column)];
  const bool all = std::all_of(studies_.begin(), studies_.end(), [&](auto study) { return ticked_.contains({unit, study}); });
  for (const auto study : studies_) all ? void(ticked_.erase({unit, study})) : void(ticked_.insert({unit, study}));
  refresh();
}

void BatchPage::set_all(bool ticked) {
  ticked_.clear();
  if (ticked)
    for (const auto unit : units_)
      for (const auto study : studies_) ticked_.insert({unit, study});
  refresh();
}

void BatchPage::start() {
  std::vector<Cell> wanted;
  // Unit after unit, studies in their order: a unit is put on the bench once.
  for (const auto unit : units_)
    for (const auto study : studies_)
      if (ticked_.contains({unit, study})) wanted.emplace_back(unit, study);
  // What comes of them stands in their place then; a click ticks one again.
  auto before = std::exchange(ticked_, {});
  const QString refused = desk_->batch.begin(wanted);
  if (!refused.isEmpty()) ticked_ = std::move(before);
  refusal_->setText(refused);
  refusal_->setVisible(!refused.isEmpty());
}

bool BatchPage::handle_key(int key) {
  auto& batch = desk_->batch;
  switch (key) {
    case Qt::Key_Space:
      if (batch.state() == Batch::State::none)
        start();
      else if (batch.state() == Batch::State::left)
        desk_->messages.say_trouble(batch.resume(on_bench_->currentData().toLongLong()));
      else if (batch.state() == Batch::State::runs)
        return true;
      else
        batch.confirm();
      return true;
    case Qt::Key_Escape:
      if (!batch.active()) return false;
      batch.stop();
      return true;
    case Qt::Key_S:
      batch.skip();
      return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (choosing() && table_->currentRow() >= 0)
        toggle(table_->currentRow(), table_->currentColumn());
      else if (table_->currentRow() >= 0)
        open_cell(table_->currentRow(), table_->currentColumn());
      return true;
    default:
      return false;
  }
}

void BatchPage::open_cell(int row, int column) {
  if (choosing() && desk_->batch.items().empty()) return;
  for (const auto& item : desk_->batch.items())
    if (Cell{item.unit, item.study} == at(row, column) && item.take) {
      desk_->focus.select_study(item.study);
      desk_->focus.show_take(*item.take);
      emit opened();
      return;
    }
}

}  // namespace heron::app
