#pragma once
#include <QAbstractButton>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>

#include "session.h"
#include "study/brief.h"

namespace heron::app {

class FlowLayout;

/// An underlined word of the brief. Enter, F2 or a click opens it.
class BriefWord : public QAbstractButton {
  Q_OBJECT

 public:
  BriefWord(std::string key, const QString& text, QWidget* parent);
  const std::string& key() const { return key_; }
  QSize sizeHint() const override;

 protected:
  void paintEvent(QPaintEvent*) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  std::string key_;
};

/// The field that opens under a word: what was typed, its other forms, what is allowed, and what is wrong with it.
class BriefEditor : public QFrame {
  Q_OBJECT

 public:
  explicit BriefEditor(QWidget* parent);
  void open(const QString& text, const BriefWord* word);
  QLineEdit* field() const { return field_; }
  void explain(const study::BriefHint& hint);
  void refuse(const QString& reason);

 signals:
  void typed(const QString& text);
  void accepted(const QString& text, int move);  ///< move: 0 stay, 1 to the next word, -1 to the one before
  void cancelled();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QLabel* label_;
  QLineEdit* field_;
  QLabel* forms_;
  QLabel* allowed_;
  QLabel* refusal_;
  QWidget* choices_;
};

/// The study's set-up as sentences whose underlined words are edited in place.
class BriefView : public QWidget {
  Q_OBJECT

 public:
  explicit BriefView(Session* session, QWidget* parent = nullptr);

  void open_word(const std::string& key);
  void show_rare(bool on);

 private:
  void rebuild();
  void try_text(const QString& text);
  void accept_text(const QString& text, int move);
  void close_editor();
  QList<BriefWord*> words() const;

  Session* session_;
  QWidget* sentences_;
  FlowLayout* flow_;
  BriefEditor* editor_ = nullptr;
  std::string open_key_;
  bool rare_ = false;
};

}  // namespace heron::app
