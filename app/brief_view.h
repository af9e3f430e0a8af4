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
  /// What it says: laid out anew only where that is another.
  struct Said {
    std::vector<study::BriefPiece> pieces;
    std::string time;
    std::vector<std::string> offers;
    bool rare = false;

    bool operator==(const Said&) const = default;
  };
  Said to_say() const;
  void rebuild();
  void begin(std::size_t offer);
  QList<BriefWord*> words() const;

  Desk* desk_;
  QWidget* sentences_;
  FlowLayout* flow_;
  WordEditing editing_;
  bool rare_ = false;
  std::optional<Said> said_;
};

}  // namespace heron::app
