#include "finder.h"

#include <QKeyEvent>
#include <QVBoxLayout>

namespace heron::app {

Finder::Finder(QWidget* parent) : QFrame(parent) {
  setObjectName("finder");
  auto* column = new QVBoxLayout(this);
  field_ = new QLineEdit(this);
  field_->setPlaceholderText("Find an action, a study, a claim, a note, a part, a figure");
  field_->setAccessibleName("Find");
  list_ = new QListWidget(this);
  list_->setAccessibleName("Found");
  list_->setFrameShape(QFrame::NoFrame);
  list_->setFocusPolicy(Qt::NoFocus);
  column->addWidget(field_);
  column->addWidget(list_);
  field_->installEventFilter(this);
  connect(field_, &QLineEdit::textChanged, this, &Finder::filter);
  connect(list_, &QListWidget::itemClicked, this, &Finder::run_current);
  hide();
}

void Finder::open(QList<Entry> entries) {
  entries_ = std::move(entries);
  resize(460, 330);
  move((parentWidget()->width() - width()) / 2, 60);
  field_->clear();
  filter({});
  show();
  raise();
  field_->setFocus();
}

void Finder::filter(const QString& text) {
  list_->clear();
  const auto words = text.toLower().split(' ', Qt::SkipEmptyParts);
  for (qsizetype i = 0; i < entries_.size(); ++i) {
    if (words.isEmpty() && entries_[i].sought) continue;
    constexpr int kMost = 200;  // nobody reads on
    if (list_->count() >= kMost) break;
    const QString name = entries_[i].name.toLower();
    if (!std::all_of(words.begin(), words.end(), [&](const QString& w) { return name.contains(w); })) continue;
    auto* item = new QListWidgetItem(
        entries_[i].keys.isEmpty() ? entries_[i].name : entries_[i].name + "   \u00b7 " + entries_[i].keys, list_);
    item->setData(Qt::UserRole, i);
  }
  if (list_->count() == 0) {
    auto* none = new QListWidgetItem("Nothing is called that.", list_);
    none->setFlags(Qt::NoItemFlags);
  }
  list_->setCurrentRow(0);
}

void Finder::run_current() {
  const auto* item = list_->currentItem();
  if (!item || !(item->flags() & Qt::ItemIsEnabled)) return;
  const auto run = entries_[item->data(Qt::UserRole).toLongLong()].run;
  hide();
  parentWidget()->setFocus();
  run();
}

bool Finder::eventFilter(QObject*, QEvent* event) {
  if (event->type() == QEvent::FocusOut) hide();
  if (event->type() != QEvent::KeyPress) return false;
  const auto key = static_cast<QKeyEvent*>(event)->key();
  if (key == Qt::Key_Escape)
    hide();
  else if (key == Qt::Key_Return || key == Qt::Key_Enter)
    run_current();
  else if (key == Qt::Key_Down)
    list_->setCurrentRow(std::min(list_->currentRow() + 1, list_->count() - 1));
  else if (key == Qt::Key_Up)
    list_->setCurrentRow(std::max(list_->currentRow() - 1, 0));
  else
    return false;
  return true;
}

}  // namespace heron::app
