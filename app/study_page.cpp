#include "study_page.h"

#include <QPushButton>
#include <QVBoxLayout>

#include "lenses/compare_lens.h"
#include "lenses/datasheet_lens.h"
#include "lenses/family_lens.h"
#include "lenses/impedance_lens.h"
#include "lenses/loop_lens.h"
#include "lenses/plane_lens.h"
#include "lenses/readings_lens.h"
#include "lenses/table_lenses.h"
#include "lenses/time_lens.h"
#include "render/theme.h"

namespace heron::app {

StudyPage::StudyPage(Session* session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("sheet");
  setAttribute(Qt::WA_StyledBackground);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 10, 20, 8);
  column->setSpacing(8);
  auto* top = new QHBoxLayout;
  title_ = new QLabel(this);
  title_->setFont(render::text_font(18, QFont::Medium));
  title_->setObjectName("study-title");
  title_->setAccessibleName("Study");
  tabs_ = new QHBoxLayout;
  tabs_->setSpacing(2);
  top->addWidget(title_, 1);
  top->addLayout(tabs_);
  column->addLayout(top);
  brief_ = new BriefView(session_, this);
  sources_ = new SourcePicture(session_, this);
  auto* set_up = new QHBoxLayout;
  set_up->setSpacing(16);
  set_up->addWidget(brief_, 1);
  set_up->addWidget(sources_, 0, Qt::AlignTop);
  column->addLayout(set_up);
  group_ = new QButtonGroup(this);
  stack_ = new QStackedWidget(this);
  stack_->setMinimumHeight(200);
  column->addWidget(stack_, 1);
  figures_ = new FigureRow(this);
  column->addWidget(figures_);
  doubts_ = new DoubtBand(session_, this);
  column->addWidget(doubts_);
  connect(doubts_, &DoubtBand::hookup_asked, this, &StudyPage::hookup_asked);

  add_lens(bode_ = new BodeLens(session_, stack_), "response");
  add_lens(new PlaneLens(render::Plane::nyquist, session_, stack_), "response");
  add_lens(new PlaneLens(render::Plane::nichols, session_, stack_), "response");
  add_lens(new BodeLens(session_, stack_, Over::delay), "response");
  add_lens(impedance_ = new ImpedanceLens(session_, stack_), "response");
  add_lens(new CompareLens(session_, stack_), "response");
  add_lens(point_ = new PointLens(session_, stack_), "response");
  add_lens(new PointsLens(session_, stack_), "response");
  for (const auto& [name, y] : {std::pair{"Curves", "current"}, {"Slope", "slope"}, {"Power", "power"}}) {
    auto* lens = new FamilyLens(name, y, session_, stack_);
    add_lens(lens, "iv");
    connect(lens, &FamilyLens::cursors_moved, figures_, &FigureRow::show_cards);
  }
  add_lens(new TimeLens(session_, stack_), "iv");
  add_lens(new DatasheetLens(session_, stack_), "iv");
  add_lens(new LoopLens(session_, stack_), "iv");
  add_lens(new ReadingsLens(session_, stack_), "iv");
  add_lens(new FiguresLens(session_, stack_), "");
  connect(group_, &QButtonGroup::idClicked, this, &StudyPage::choose_lens);
  bode_->setObjectName("lens-bode");
  connect(bode_, &BodeLens::cursors_moved, figures_, &FigureRow::show_cursors);
  connect(figures_, &FigureRow::figure_chosen, &session_->look(), &Look::set_figure);
  connect(&session_->look(), &Look::figure_changed, this, [this] { figures_->show_chosen(session_->look().figure()); });
  connect(session_, &Session::shown_changed, this, &StudyPage::refresh);
  connect(session_, &Session::take_read, this, &StudyPage::refresh);
  connect(session_, &Session::plan_changed, this, &StudyPage::refresh);
  connect(session_, &Session::live_changed, this, &StudyPage::refresh);
  choose_lens(0);
}

void StudyPage::add_lens(Lens* lens, const std::string& kind) {
  auto* tab = new QPushButton(lens->title(), this);
  tab->setObjectName("tab");
  tab->setCheckable(true);
  tab->setFlat(true);
  tab->setAccessibleName("Lens: " + lens->title());
  tabs_->addWidget(tab);
  group_->addButton(tab, int(lenses_.size()));
  stack_->addWidget(lens);
  lenses_ << lens;
  kinds_[lens] = QString::fromStdString(kind);
  connect(lens, &Lens::point_chosen, this, [this](int index) {
    point_->show_point(index);
    choose_lens(int(lenses_.indexOf(point_)));
  });
}

Lens* StudyPage::lens() const { return lenses_.value(stack_->currentIndex()); }

void StudyPage::choose_lens(int index) {
  if (index < 0 || index >= lenses_.size()) return;
  stack_->setCurrentIndex(index);
  group_->button(index)->setChecked(true);
}

bool StudyPage::handle_key(int key) {
  if (key >= Qt::Key_1 && key <= Qt::Key_9) {
    // Numbers go along the lenses of this kind of study; one that is hidden keeps its own.
    int number = key - Qt::Key_1;
    for (int k = 0; k < lenses_.size(); ++k)
      if (suits(lenses_[k]) && number-- == 0 && !group_->button(k)->isHidden()) choose_lens(k);
    return true;
  }
  // Brackets step points from any lens: the samples come into view first.
  if ((key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight) && lens() != point_ && suits(point_)) {
    choose_lens(int(lenses_.indexOf(point_)));
    return true;
  }
  return lens() && lens()->handle_key(key);
}

bool StudyPage::suits(Lens* lens) const {
  const QString kind = kinds_[lens], shown = QString::fromStdString(session_->kind());
  return kind.isEmpty() || kind == shown || (shown.isEmpty() && kind == "response");
}

void StudyPage::refresh() {
  int number = 0;
  for (int k = 0; k < lenses_.size(); ++k) {
    const bool suitable = suits(lenses_[k]);
    group_->button(k)->setVisible(suitable);
    if (suitable) group_->button(k)->setToolTip(QString("%1 (%2)").arg(lenses_[k]->title()).arg(++number));
  }
  if (lens() && !suits(lens()))
    for (int k = 0; k < lenses_.size(); ++k)
      if (suits(lenses_[k])) {
        choose_lens(k);
        break;
      }
  const bool impedance = session_->plan().quantity == study::response::Quantity::impedance;
  auto* tab = group_->button(int(lenses_.indexOf(impedance_)));
  tab->setVisible(impedance && suits(impedance_));
  if (!impedance && lens() == impedance_) choose_lens(0);
  title_->setText(session_->study() ? QString::fromStdString(session_->study()->name) : QString());
  const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
  figures_->show_take(view.get());
}

}  // namespace heron::app
