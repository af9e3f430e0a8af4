#include "look_bar.h"

#include <QHBoxLayout>
#include <QMenu>

#include "render/theme.h"

namespace heron::app {

LookBar::LookBar(QWidget* parent) : QWidget(parent), row_(new QHBoxLayout(this)) {
  row_->setContentsMargins(0, 0, 0, 0);
  row_->setSpacing(12);
  row_->addStretch(1);
  setFixedHeight(22);
}

QPushButton* LookBar::add(const QString& name, const QString& tip, std::function<QString()> text,
                          std::function<void()> step) {
  auto* word = make_word(name, tip, std::move(text));
  connect(word, &QPushButton::clicked, this, [step = std::move(step)] { step(); });
  return word;
}

QPushButton* LookBar::make_word(const QString& name, const QString& tip, std::function<QString()> text) {
  auto* word = new QPushButton(this);
  word->setObjectName("fold");
  word->setFlat(true);
  word->setAccessibleName(name);
  word->setToolTip(tip);
  word->setFont(render::text_font(12));
  row_->addWidget(word);
  words_ << std::pair{word, std::move(text)};
  return word;
}

QPushButton* LookBar::add_menu(const QString& name, const QString& tip, std::function<QString()> text,
                               std::function<QList<MenuLine>()> choices) {
  auto* word = make_word(name, tip, std::move(text));
  connect(word, &QPushButton::clicked, this, [this, word, choices = std::move(choices)] {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const auto& choice : choices()) {
      auto* line = menu->addAction(choice.text);
      line->setEnabled(bool(choice.choose));
      if (choice.choose) connect(line, &QAction::triggered, this, choice.choose);
    }
    menu->popup(word->mapToGlobal(QPoint(0, word->height())));
  });
  return word;
}

void LookBar::add_space() { row_->addSpacing(10); }

void LookBar::refresh() {
  for (auto& [word, text] : words_) {
    const QString now = text();
    word->setText(now);
    word->setVisible(!now.isEmpty());
  }
}

}  // namespace heron::app
