#pragma once
#include <QAbstractButton>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <functional>

#include "desk.h"
#include "study/brief.h"

namespace heron::app {

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
  /// What a text file holds, as if it had been typed; what cannot be read is refused.
  void take_file(const QString& path);

 signals:
  void typed(const QString& text);
  void accepted(const QString& text, int move);  ///< move: 0 stay, 1 to the next word, -1 to the one before
  void cancelled();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void choose_file();

  QLabel* label_;
  QLineEdit* field_;
  QLabel* forms_;
  QLabel* allowed_;
  QLabel* refusal_;
  QWidget* choices_;
  QPushButton* from_file_;
  bool choosing_ = false;  ///< a file: the field's focus is elsewhere for a while
};

/// Editing of words in place, wherever they stand: opens the editor under a word, shows what the text would mean while
/// it is typed, and applies it to the study in view when it makes sense.
class WordEditing : public QObject {
  Q_OBJECT

 public:
  /// @param words  those that are shown now, in the order of Tab
  WordEditing(Desk* desk, QWidget* home, std::function<QList<BriefWord*>()> words);
  void open(const std::string& key);
  void close();

 private:
  void try_text(const QString& text);
  void accept(const QString& text, int move);

  Desk* desk_;
  QWidget* home_;
  std::function<QList<BriefWord*>()> words_;
  BriefEditor* editor_ = nullptr;
  std::string key_;
  QString begun_;  ///< what the word said when it was opened
};

}  // namespace heron::app
