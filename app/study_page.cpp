#include "study_page.h"

#include <QPainter>
#include <QPushButton>
#include <QResizeEvent>
#include <QTimer>
#include <QVBoxLayout>

#include "render/theme.h"

namespace heron::app {
namespace {

constexpr int kLeast = 200, kLeastWhereLow = 120;  ///< pixels of a lens's height

/// As much of its text as there is room for, with dots where that is not all.
class Title final : public QLabel {
 public:
  using QLabel::QLabel;

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setPen(palette().color(foregroundRole()));
    p.drawText(contentsRect(), Qt::AlignLeft | Qt::AlignVCenter, fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width()));
  }
};

}  // namespace

StudyPage::StudyPage(Desk* desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName("sheet");
  setAttribute(Qt::WA_StyledBackground);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 10, 20, 8);
  column->setSpacing(8);
  // Before the parts hear of it themselves.
  for (const auto signal : {&Focus::study_changed, &Focus::plan_changed, &Focus::shown_changed})
    connect(&desk_->focus, signal, this, &StudyPage::lay_out_once);
  connect(&desk_->readings, &Readings::take_read, this, &StudyPage::lay_out_once);
  connect(&desk_->outlook, &Outlook::levels_changed, this, &StudyPage::lay_out_once);
  auto* top = new QHBoxLayout;
  title_ = new Title(this);
  title_->setFont(render::text_font(18, QFont::Medium));
  title_->setObjectName("study-title");
  title_->setAccessibleName("Study");
  // A long name gives way to the lenses in a narrow window; the tool tip has it whole.
  title_->setMinimumWidth(80);
  tabs_ = new QHBoxLayout;
  tabs_->setSpacing(2);
  top->addWidget(title_, 1);
  top->addLayout(tabs_);
  column->addLayout(top);
  brief_ = new BriefView(desk_, this);
  sources_ = new SourcePicture(desk_, this);
  auto* set_up = new QHBoxLayout;
  set_up->setSpacing(16);
  set_up->addWidget(brief_, 1);
  set_up->addWidget(sources_, 0, Qt::AlignTop);
  column->addLayout(set_up);
  group_ = new QButtonGroup(this);
  stack_ = new QStackedWidget(this);
  stack_->setMinimumHeight(kLeast);
  unknown_ = new QLabel(this);
  unknown_->setAlignment(Qt::AlignCenter);
  unknown_->setWordWrap(true);
  unknown_->setAccessibleName("No lens");
  stack_->addWidget(unknown_);
  column->addWidget(stack_, 1);
  figures_ = new FigureRow(this);
  column->addWidget(figures_);
  doubts_ = new DoubtBand(desk_, this);
  column->addWidget(doubts_);
  connect(doubts_, &DoubtBand::hookup_asked, this, &StudyPage::hookup_asked);

  connect(group_, &QButtonGroup::idClicked, this, &StudyPage::choose_lens);
  connect(figures_, &FigureRow::figure_chosen, &desk_->look, &Look::set_figure);
  connect(&desk_->look, &Look::figure_changed, this, [this] { figures_->show_chosen(desk_->look.figure()); });
  connect(&desk_->focus, &Focus::study_changed, this, &StudyPage::adopt_kind);
  connect(&desk_->focus, &Focus::shown_changed, this, &StudyPage::refresh);
  connect(&desk_->readings, &Readings::take_read, this, &StudyPage::refresh);
  connect(&desk_->focus, &Focus::plan_changed, this, &StudyPage::refresh);
  connect(&desk_->readings, &Readings::live_changed, this, &StudyPage::refresh);
}

void StudyPage::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  constexpr int kLow = 560;  ///< pixels, below which the picture has little room beside what is said of it
  const bool low = event->size().height() < kLow;
  doubts_->set_low(low);
  stack_->setMinimumHeight(low ? kLeastWhereLow : kLeast);
}

/// A part that comes into view lays the whole page out anew, with the text of every doubt: what changes within one turn
/// of the event loop is laid out at its end.
void StudyPage::lay_out_once() {
  if (!layout()->isEnabled()) return;
  layout()->setEnabled(false);
  QMetaObject::invokeMethod(
      this,
      [this] {
        layout()->setEnabled(true);
        layout()->activate();
      },
      Qt::QueuedConnection);
}

void StudyPage::adopt_kind() {
  const auto* view = find_kind_view(desk_->focus.kind());
  if (view == view_) {
    if (const int kept = kept_lens(); lens() && kept >= 0) show_lens(kept);
    return;
  }
  view_ = view;
  offers_ = view ? view->lenses() : std::vector<LensOffer>();
  if (view) made_[view].resize(qsizetype(offers_.size()));
  for (auto* button : group_->buttons()) {
    group_->removeButton(button);
    // By hand: a layout that is held does not hear of what is deleted.
    tabs_->removeWidget(button);
    button->hide();
    button->deleteLater();
  }
  for (int k = 0; k < lens_count(); ++k) {
    const auto& title = offers_[std::size_t(k)].title;
    auto* tab = new QPushButton(title, this);
    tab->setObjectName("tab");
    tab->setCheckable(true);
    tab->setFlat(true);
    tab->setAccessibleName("Lens: " + title);
    tab->setToolTip(QString("%1 (%2)").arg(title).arg(k + 1));
    tabs_->addWidget(tab);
    group_->addButton(tab, k);
  }
  if (offers_.empty()) {
    unknown_->setText(desk_->focus.study() ? "This version has no lens for this kind of study. Its takes stay in the "
                                             "dossier as they are."
                                           : QString());
    stack_->setCurrentWidget(unknown_);
    figures_->show_cards({});
    return;
  }
  if (const int kept = kept_lens(); kept >= 0) chosen_[view] = kept;
  const int index = suiting(chosen_.value(view, 0));
  if (made_[view][index]) return show_lens(index);
  // A lens takes a moment to make: brief and figures are painted before it.
  unknown_->clear();
  stack_->setCurrentWidget(unknown_);
  group_->button(index)->setChecked(true);
  QTimer::singleShot(0, this, [this, view] {
    if (view_ == view && !lens()) show_lens(suiting(chosen_.value(view_, 0)));
  });
}

Lens* StudyPage::lens() const { return offers_.empty() ? nullptr : qobject_cast<Lens*>(stack_->currentWidget()); }

bool StudyPage::suits(int lens) const {
  const auto& offer = offers_[std::size_t(lens)];
  return !offer.suits || offer.suits(*desk_);
}

int StudyPage::suiting(int lens) const {
  if (suits(lens)) return lens;
  for (int k = 0; k < lens_count(); ++k)
    if (suits(k)) return k;
  return lens;
}

int StudyPage::kept_lens() const {
  for (int k = 0; k < lens_count(); ++k)
    if (lens_title(k) == desk_->look.lens() && suits(k)) return k;
  return -1;
}

void StudyPage::choose_lens(int index) {
  if (index < 0 || index >= lens_count()) return;
  show_lens(index);
  desk_->look.set_lens(lens_title(index));
}

void StudyPage::show_lens(int index) {
  chosen_[view_] = index;
  auto*& lens = made_[view_][index];
  if (!lens) {
    lens = offers_[std::size_t(index)].make(desk_, stack_);
    stack_->addWidget(lens);
    connect(lens, &Lens::point_chosen, this, &StudyPage::show_point);
    connect(lens, &Lens::cards_changed, this, [this, lens = lens] {
      if (lens == this->lens()) figures_->show_cards(lens->cards());
    });
  }
  stack_->setCurrentWidget(lens);
  group_->button(index)->setChecked(true);
  figures_->show_cards(lens->cards());
}

void StudyPage::show_point(int index) {
  for (int k = 0; k < lens_count(); ++k)
    if (offers_[std::size_t(k)].shows_points) {
      choose_lens(k);
      lens()->show_point(index);
    }
}

bool StudyPage::handle_key(int key) {
  if (key >= Qt::Key_1 && key <= Qt::Key_9) {
    // One that does not suit the study keeps its number.
    const int k = key - Qt::Key_1;
    if (k < lens_count() && suits(k)) choose_lens(k);
    return true;
  }
  if (lens() && lens()->handle_key(key)) return true;
  // Brackets step points from any other lens: the samples come into view first.
  if (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight)
    for (int k = 0; k < lens_count(); ++k)
      if (offers_[std::size_t(k)].shows_points && chosen_.value(view_) != k) {
        choose_lens(k);
        return true;
      }
  return false;
}

void StudyPage::refresh() {
  for (int k = 0; k < lens_count(); ++k) group_->button(k)->setVisible(suits(k));
  if (const int chosen = chosen_.value(view_); lens() && !suits(chosen)) show_lens(suiting(chosen));
  title_->setText(desk_->focus.study() ? QString::fromStdString(desk_->focus.study()->name) : QString());
  // What was noted stands beneath the name when it is pointed at; in the finder and the report it is found as well.
  const QString note = desk_->focus.study() ? QString::fromStdString(desk_->focus.study()->note) : QString();
  title_->setToolTip(note.isEmpty() ? title_->text() : title_->text() + "\n" + note);
  figures_->show_take(desk_->readings.shown().get());
  if (lens()) figures_->show_cards(lens()->cards());
}

}  // namespace heron::app
