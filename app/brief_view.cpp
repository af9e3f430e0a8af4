#include "brief_view.h"

#include <QPushButton>
#include <QScopeGuard>
#include <QVBoxLayout>

#include "base/quantity.h"
#include "flow_layout.h"
#include "ink.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

BriefView::BriefView(Desk* desk, QWidget* parent)
    : QWidget(parent), desk_(desk), editing_(desk, this, [this] { return words(); }) {
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
  connect(&desk_->focus, &Focus::plan_changed, this, &BriefView::rebuild);
  connect(&desk_->focus, &Focus::device_changed, this, &BriefView::rebuild);
}

QList<BriefWord*> BriefView::words() const {
  QList<BriefWord*> out;
  for (int i = 0; i < flow_->count(); ++i)
    if (auto* word = qobject_cast<BriefWord*>(flow_->itemAt(i)->widget()); word && !word->isHidden()) out << word;
  return out;
}

BriefView::Said BriefView::to_say() const {
  Said out{.rare = rare_};
  const auto plan = desk_->focus.plan();
  if (!plan) return out;
  for (auto& piece : plan->brief())
    if (!piece.rare || rare_) out.pieces.push_back(std::move(piece));
  out.time = plan->time_sentence(desk_->focus.limits());
  for (const auto& offer : plan->procedures()) out.offers.push_back(offer.name);
  return out;
}

void BriefView::begin(std::size_t offer) {
  const auto plan = desk_->focus.plan();
  const auto offers = plan ? plan->procedures() : std::vector<study::Offer>();
  if (offer < offers.size()) desk_->messages.say_trouble(desk_->runner.begin(offers[offer]), desk_->focus.study_id());
}

void BriefView::rebuild() {
  auto now = to_say();
  if (said_ == now) return;
  said_ = std::move(now);
  std::string focused;
  if (const auto* word = qobject_cast<BriefWord*>(window()->focusWidget()); word && isAncestorOf(word))
    focused = word->key();
  // Out of sight meanwhile: each widget that is shown in a visible one lays the whole window out anew.
  sentences_->hide();
  while (auto* item = flow_->takeAt(0)) {
    item->widget()->hide();
    item->widget()->deleteLater();
    delete item;
  }
  const auto shown = qScopeGuard([this] { sentences_->show(); });
  if (!desk_->focus.plan()) return;
  BriefWord* to_focus = nullptr;
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
      if (secondary) set_ink(*label, theme().slate);
      add(label, QString(".,;:").contains(part.front()));
    }
  };
  for (const auto& piece : said_->pieces) {
    const QString text = QString::fromStdString(piece.text);
    if (piece.key.empty()) {
      say(text, piece.heading);
      continue;
    }
    auto* word = new BriefWord(piece.key, text, sentences_);
    connect(word, &QAbstractButton::clicked, this, [this, key = piece.key] { editing_.open(key); });
    add(word, false);
    if (piece.key == focused) to_focus = word;
  }
  say(QString::fromStdString(said_->time), false, true);
  auto* fold = new QPushButton(rare_ ? "Less" : "More", sentences_);
  fold->setObjectName("fold");
  fold->setFlat(true);
  fold->setAccessibleName(rare_ ? "Fewer settings" : "More settings");
  fold->setToolTip("Refinement, settling, averaging, offset, repeats and input ranges");
  connect(fold, &QPushButton::clicked, this, [this] { show_rare(!rare_); });
  add(fold, false);
  const auto offers = desk_->focus.plan()->procedures();
  for (std::size_t k = 0; k < offers.size(); ++k) {
    const auto& offer = offers[k];
    QString name = QString::fromStdString(offer.name);
    name[0] = name[0].toUpper();
    auto* button = new QPushButton(name, sentences_);
    button->setObjectName("fold");
    button->setFlat(true);
    button->setAccessibleName(name);
    button->setToolTip(QString::fromStdString(offer.label + "\n" + offer.tip));
    connect(button, &QPushButton::clicked, this, [this, k] { begin(k); });
    add(button, false);
  }
  sentences_->show();
  if (to_focus) to_focus->setFocus();
}

void BriefView::show_rare(bool on) {
  rare_ = on;
  QMetaObject::invokeMethod(this, &BriefView::rebuild, Qt::QueuedConnection);
}

}  // namespace heron::app
