#include "brief_view.h"

#include <QKeyEvent>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "base/quantity.h"
#include "flow_layout.h"
#include "render/theme.h"
#include "study/response/brief.h"

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
  allowed_->setStyleSheet(QString("color: %1").arg(theme().slate.name()));
  refusal_->setStyleSheet(QString("color: %1").arg(theme().rust.name()));
  choices_ = new QWidget(this);
  for (auto* w : std::initializer_list<QWidget*>{label_, field_, forms_, allowed_, choices_, refusal_})
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
  if (event->type() == QEvent::FocusOut) emit cancelled();
  return false;
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

BriefView::BriefView(Session* session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  sentences_ = new QWidget(this);
  sentences_->setAccessibleName("Brief");
  flow_ = new FlowLayout(4, 4, sentences_);
  flow_->setContentsMargins(0, 0, 0, 0);
  column->addWidget(sentences_);
  auto policy = sizePolicy();
  policy.setHeightForWidth(true);
  policy.setVerticalPolicy(QSizePolicy::Minimum);
  setSizePolicy(policy);
  sentences_->setSizePolicy(policy);
  connect(session_, &Session::plan_changed, this, &BriefView::rebuild);
  connect(session_, &Session::device_changed, this, &BriefView::rebuild);
}

QList<BriefWord*> BriefView::words() const {
  QList<BriefWord*> out;
  for (int i = 0; i < flow_->count(); ++i)
    if (auto* word = qobject_cast<BriefWord*>(flow_->itemAt(i)->widget()); word && !word->isHidden()) out << word;
  return out;
}

void BriefView::rebuild() {
  std::string focused;
  if (const auto* word = qobject_cast<BriefWord*>(window()->focusWidget()); word && isAncestorOf(word))
    focused = word->key();
  while (auto* item = flow_->takeAt(0)) {
    item->widget()->hide();
    item->widget()->deleteLater();
    delete item;
  }
  if (!session_->study()) return;
  const auto add = [&](QWidget* widget, bool attached) {
    widget->setProperty("attached", attached);
    flow_->addWidget(widget);
    widget->show();
  };
  const auto say = [&](const QString& text, bool heading, bool secondary = false) {
    const auto parts = text.split(' ', Qt::SkipEmptyParts);
    for (const auto& part : parts) {
      auto* label = new QLabel(part, sentences_);
      label->setFont(render::text_font(13, heading ? QFont::DemiBold : QFont::Normal));
      label->setFixedHeight(label->fontMetrics().height() + 4);
      if (heading) label->setContentsMargins(flow_->count() > 0 ? 6 : 0, 0, 0, 0);
      if (secondary) label->setStyleSheet(QString("color: %1").arg(theme().slate.name()));
      add(label, QString(".,;:").contains(part.front()));
    }
  };
  for (const auto& piece : study::response::brief(session_->plan())) {
    if (piece.rare && !rare_) continue;
    const QString text = QString::fromStdString(piece.text);
    if (piece.key.empty()) {
      say(text, piece.heading);
      continue;
    }
    auto* word = new BriefWord(piece.key, text, sentences_);
    connect(word, &QAbstractButton::clicked, this, [this, key = piece.key] { open_word(key); });
    add(word, false);
    if (piece.key == focused) word->setFocus();
  }
  const int points = study::response::point_count(session_->plan());
  say(QString("%1 points, about %2 on a real bench.")
          .arg(points)
          .arg(QString::fromStdString(format_duration(session_->sweep_seconds()))),
      false, true);
  auto* fold = new QPushButton(rare_ ? "Less" : "More", sentences_);
  fold->setObjectName("fold");
  fold->setFlat(true);
  fold->setAccessibleName(rare_ ? "Fewer settings" : "More settings");
  fold->setToolTip("Spacing, offset and input ranges");
  connect(fold, &QPushButton::clicked, this, [this] { show_rare(!rare_); });
  add(fold, false);
  sentences_->updateGeometry();
  updateGeometry();
}

void BriefView::show_rare(bool on) {
  rare_ = on;
  QMetaObject::invokeMethod(this, &BriefView::rebuild, Qt::QueuedConnection);
}

void BriefView::open_word(const std::string& key) {
  for (auto* word : words()) {
    if (word->key() != key) continue;
    if (!editor_) {
      editor_ = new BriefEditor(window());
      connect(editor_, &BriefEditor::typed, this, &BriefView::try_text);
      connect(editor_, &BriefEditor::accepted, this, &BriefView::accept_text);
      connect(editor_, &BriefEditor::cancelled, this, &BriefView::close_editor);
    }
    open_key_ = key;
    editor_->open(word->text(), word);
    editor_->explain(study::response::hint(session_->plan(), key, session_->limits(), session_->pins()));
    editor_->show();
    editor_->raise();
    editor_->field()->setFocus();
    return;
  }
}

void BriefView::try_text(const QString& text) {
  const auto changed =
      study::response::apply(session_->plan(), open_key_, text.trimmed().toStdString(), session_->pins());
  if (changed)
    editor_->explain(study::response::hint(*changed, open_key_, session_->limits(), session_->pins()));
  else
    editor_->refuse(QString::fromStdString(changed.error().message));
}

void BriefView::accept_text(const QString& text, int move) {
  const std::string key = open_key_;
  if (const QString trouble = session_->edit_brief(key, text); !trouble.isEmpty()) {
    editor_->refuse(trouble);
    return;
  }
  close_editor();
  auto all = words();
  qsizetype at = 0;
  while (at < all.size() && all[at]->key() != key) ++at;
  if (at == all.size()) return;
  const auto target = at + move;
  if (target < 0 || target >= all.size())
    all[at]->setFocus();
  else if (move == 0)
    all[at]->setFocus();
  else
    open_word(all[target]->key());
}

void BriefView::close_editor() {
  if (!editor_ || editor_->isHidden()) return;
  const bool had_focus = editor_->isAncestorOf(window()->focusWidget());
  editor_->hide();
  if (had_focus)
    for (auto* word : words())
      if (word->key() == open_key_) word->setFocus();
}

}  // namespace heron::app
