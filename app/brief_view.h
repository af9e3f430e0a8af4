#pragma once
#include <QAbstractButton>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>

#include "desk.h"
#include "word_editor.h"

namespace heron::app {

class FlowLayout;

/// The study's set-up as sentences whose underlined words are edited in place.
class BriefView : public QWidget {
  Q_OBJECT

 public:
  explicit BriefView(Desk* desk, QWidget* parent = nullptr);

  void open_word(const std::string& key) { editing_.open(key); }
  void show_rare(bool on);

 private:
  void rebuild();
  QList<BriefWord*> words() const;

  Desk* desk_;
  QWidget* sentences_;
  FlowLayout* flow_;
  WordEditing editing_;
  bool rare_ = false;
};

}  // namespace heron::app
