#include "bench_page.h"

#include <QComboBox>
#include <QGridLayout>
#include <QVBoxLayout>

#include "ink.h"
#include "render/theme.h"
#include "run/device.h"

namespace heron::app {

using render::theme;

BenchPage::BenchPage(Desk* desk, QWidget* parent) : QScrollArea(parent), desk_(desk) {
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName("Bench");
  auto* sheet = new QWidget(this);
  sheet->setObjectName("sheet");
  sheet->setAttribute(Qt::WA_StyledBackground);
  setWidget(sheet);
  auto* column = new QVBoxLayout(sheet);
  column->setContentsMargins(20, 10, 20, 16);
  column->setSpacing(8);
  auto* title = new QLabel("Simulated bench", sheet);
  title->setFont(render::text_font(18, QFont::Medium));
  column->addWidget(title);
  auto* row = new QHBoxLayout;
  auto* word = new QLabel("Pace", sheet);
  pace_ = new QComboBox(sheet);
  pace_->setAccessibleName("Pace");
  pace_->addItems({"As fast as it computes", "No faster than a real bench"});
  pace_->setToolTip("How long a take takes here; what is measured is the same");
  word->setBuddy(pace_);
  row->addWidget(word);
  row->addWidget(pace_);
  row->addStretch(1);
  column->addLayout(row);
  state_ = new QLabel(sheet);
  state_->setWordWrap(true);
  set_ink(*state_, theme().slate);
  column->addWidget(state_);
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(18);
  grid->setVerticalSpacing(4);
  grid->setColumnMinimumWidth(0, 150);
  grid->setColumnStretch(1, 1);
  int line = 0;
  for (const auto& table : run::data_sheets()) {
    auto* head = new QLabel(QString::fromStdString(table.title), sheet);
    head->setFont(render::text_font(13, QFont::DemiBold));
    head->setContentsMargins(0, line > 0 ? 10 : 0, 0, 2);
    grid->addWidget(head, line++, 0, 1, 2);
    for (const auto& [what, how] : table.rows) {
      auto* left = new QLabel(QString::fromStdString(what), sheet);
      set_ink(*left, theme().slate);
      auto* right = new QLabel(QString::fromStdString(how), sheet);
      right->setWordWrap(true);
      right->setTextInteractionFlags(Qt::TextSelectableByMouse);
      grid->addWidget(left, line, 0, Qt::AlignTop);
      grid->addWidget(right, line++, 1);
    }
  }
  column->addLayout(grid);
  column->addStretch(1);
  connect(pace_, &QComboBox::activated, this, [this](int index) { desk_->runner.set_paced(index == 1); });
  connect(&desk_->runner, &Runner::running_changed, this, &BenchPage::refresh);
  connect(&desk_->focus, &Focus::device_changed, this, &BenchPage::refresh);
  refresh();
}

void BenchPage::refresh() {
  pace_->setCurrentIndex(desk_->runner.paced() ? 1 : 0);
  pace_->setEnabled(!desk_->runner.running());
  state_->setText(
      "Everything below loads, limits and errs in the solved circuit. Errors belong to the take's seed, sensors keep "
      "theirs; the "
      "same take repeats bit for bit. What a real bench would take is told beside the brief.");
}

}  // namespace heron::app
