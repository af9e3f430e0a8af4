#include "word_editor.h"

#include <QFile>
#include <QFileDialog>
#include <QKeyEvent>
#include <QPainter>
#include <QVBoxLayout>

#include "flow_layout.h"
#include "ink.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

BriefWord::BriefWord(std::string key, const QString& text, QWidget* parent)
    : QAbstractButton(parent), key_(std::move(key)) {
  setText(text);
  setFont(render::text_font(13));
  setCursor(Qt::PointingHandCursor);
  setFocusPolicy(Qt::StrongFocus);
  setObjectName("word-" + QString::fromStdString(key_));
  setAccessibleName("Brief: " + QString::fromStdString(key_));
  setAccessibleDescription(text);
  setToolTip("Change (Enter)");
}

QSize BriefWord::sizeHint() const { return {fontMetrics().horizontalAdvance(text()) + 2, fontMetrics().height() + 4}; }

void BriefWord::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const bool lit = hasFocus() || underMouse();
  if (hasFocus()) painter.fillRect(rect(), theme().silt);
  painter.setPen(theme().heron);
  painter.setFont(font());
  painter.drawText(rect(), Qt::AlignCenter, text());
  painter.setPen(QPen(theme().heron, lit ? 2 : 1));
  painter.drawLine(1, height() - 2, width() - 1, height() - 2);
}

void BriefWord::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_F2)
    click();
  else
    QWidget::keyPressEvent(event);
}

BriefEditor::BriefEditor(QWidget* parent) : QFrame(parent) {
  setObjectName("brief-editor");
  setFrameShape(QFrame::NoFrame);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 10, 12, 12);
  column->setSpacing(5);
  label_ = new QLabel(this);
  label_->setFont(render::text_font(12, QFont::DemiBold));
  field_ = new QLineEdit(this);
  field_->setAccessibleName("New value");
  field_->setFont(render::text_font(14));
  forms_ = new QLabel(this);
  allowed_ = new QLabel(this);
  refusal_ = new QLabel(this);
  refusal_->setObjectName("refusal");
  refusal_->setAccessibleName("Why not");
  for (auto* l : {forms_, allowed_, refusal_}) {
    l->setFont(render::text_font(12));
    l->setWordWrap(true);
  }
  set_ink(*allowed_, theme().slate);
  set_ink(*refusal_, theme().rust);
  choices_ = new QWidget(this);
  from_file_ = new QPushButton("From a file\u2026", this);
  from_file_->setObjectName("from-file");
  from_file_->setFocusPolicy(Qt::NoFocus);
  from_file_->setToolTip("A text file, a line a point");
  connect(from_file_, &QPushButton::clicked, this, &BriefEditor::choose_file);
  for (auto* w : std::initializer_list<QWidget*>{label_, field_, forms_, allowed_, choices_, from_file_, refusal_})
    column->addWidget(w);
  field_->installEventFilter(this);
  connect(field_, &QLineEdit::textEdited, this, &BriefEditor::typed);
}

bool BriefEditor::eventFilter(QObject*, QEvent* event) {
  if (event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    switch (key->key()) {
      case Qt::Key_Return:
      case Qt::Key_Enter:
        emit accepted(field_->text(), 0);
        return true;
      case Qt::Key_Tab:
        emit accepted(field_->text(), 1);
        return true;
      case Qt::Key_Backtab:
        emit accepted(field_->text(), -1);
        return true;
      case Qt::Key_Escape:
        emit cancelled();
        return true;
      default:
        break;
    }
  }
  if (event->type() == QEvent::FocusOut && !choosing_) emit cancelled();
  return false;
}

void BriefEditor::choose_file() {
  choosing_ = true;
  const auto path = QFileDialog::getOpenFileName(window(), "Take it from a file", {}, "Text (*.csv *.txt *.tsv);;All files (*)");
  choosing_ = false;
  field_->setFocus();
  if (!path.isEmpty()) take_file(path);
}

void BriefEditor::take_file(const QString& path) {
  constexpr qint64 kMost = 16 << 20;
  QFile file(path);
  if (!file.open(QIODevice::ReadOnly)) return refuse(QString("%1 cannot be opened: %2.").arg(path, file.errorString()));
  if (file.size() > kMost) return refuse(QString("%1 is larger than 16 MB.").arg(path));
  emit accepted(QString::fromUtf8(file.readAll()), 0);
}

void BriefEditor::open(const QString& text, const BriefWord* word) {
  field_->setText(text);
  field_->selectAll();
  refusal_->clear();
  refusal_->hide();
  const QPoint under = word->mapTo(parentWidget(), QPoint(-12, word->height() + 3));
  setFixedWidth(330);
  move(std::clamp(under.x(), 8, std::max(8, parentWidget()->width() - 338)), under.y());
}

void BriefEditor::explain(const study::BriefHint& hint) {
  label_->setText(QString::fromStdString(hint.label));
  forms_->setText(QString::fromStdString(hint.forms));
  forms_->setVisible(!hint.forms.empty());
  allowed_->setText(QString::fromStdString(hint.allowed));
  allowed_->setVisible(!hint.allowed.empty());
  refusal_->hide();
  delete choices_->layout();
  qDeleteAll(choices_->findChildren<QPushButton*>(Qt::FindDirectChildrenOnly));
  if (!hint.choices.empty()) {
    auto* flow = new FlowLayout(6, 6, choices_);
    flow->setContentsMargins(0, 2, 0, 2);
    for (const auto& choice : hint.choices) {
      auto* button = new QPushButton(QString::fromStdString(choice), choices_);
      button->setFocusPolicy(Qt::NoFocus);
      button->setAccessibleName("Choose " + QString::fromStdString(choice));
      connect(button, &QPushButton::clicked, this, [this, button] { emit accepted(button->text(), 0); });
      flow->addWidget(button);
      button->show();
    }
    choices_->setMinimumHeight(flow->heightForWidth(width() - 24));
  } else {
    choices_->setMinimumHeight(0);
  }
  choices_->setVisible(!hint.choices.empty());
  from_file_->setVisible(hint.from_file);
  layout()->activate();
  resize(width(), layout()->hasHeightForWidth() ? layout()->heightForWidth(width()) : sizeHint().height());
}

void BriefEditor::refuse(const QString& reason) {
  forms_->hide();
  refusal_->setText(reason);
  refusal_->show();
  layout()->activate();
  resize(width(), layout()->hasHeightForWidth() ? layout()->heightForWidth(width()) : sizeHint().height());
}

WordEditing::WordEditing(Desk* desk, QWidget* home, std::function<QList<BriefWord*>()> words)
    : QObject(home), desk_(desk), home_(home), words_(std::move(words)) {}

void WordEditing::open(const std::string& key) {
  for (auto* word : words_()) {
    if (word->key() != key) continue;
    if (!editor_) {
      editor_ = new BriefEditor(home_->window());
      connect(editor_, &BriefEditor::typed, this, &WordEditing::try_text);
      connect(editor_, &BriefEditor::accepted, this, &WordEditing::accept);
      connect(editor_, &BriefEditor::cancelled, this, &WordEditing::close);
    }
    key_ = key;
    begun_ = word->text();
    editor_->open(begun_, word);
    editor_->explain(desk_->focus.hint(key_).value_or(study::BriefHint{}));
    editor_->show();
    editor_->raise();
    editor_->field()->setFocus();
    return;
  }
}

void WordEditing::try_text(const QString& text) {
  if (text == begun_)
    editor_->explain(desk_->focus.hint(key_).value_or(study::BriefHint{}));
  else if (const auto hint = desk_->focus.hint(key_, text))
    editor_->explain(*hint);
  else
    editor_->refuse(QString::fromStdString(hint.error().message));
}

void WordEditing::accept(const QString& text, int move) {
  const std::string key = key_;
  // What stands there need not be what may be typed there: "4.17 us to 16.7 us" of several.
  if (text != begun_)
    if (const QString trouble = desk_->focus.edit(key, text); !trouble.isEmpty()) {
      editor_->refuse(trouble);
      return;
    }
  close();
  const auto all = words_();
  qsizetype at = 0;
  while (at < all.size() && all[at]->key() != key) ++at;
  if (at == all.size()) return;
  const auto target = at + move;
  if (move == 0 || target < 0 || target >= all.size())
    all[at]->setFocus();
  else
    open(all[target]->key());
}

void WordEditing::close() {
  if (!editor_ || editor_->isHidden()) return;
  const bool had_focus = editor_->isAncestorOf(home_->window()->focusWidget());
  editor_->hide();
  if (had_focus)
    for (auto* word : words_())
      if (word->key() == key_) word->setFocus();
}

}  // namespace heron::app
