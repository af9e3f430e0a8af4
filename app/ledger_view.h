#pragma once
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include "desk.h"
#include "ledger_row.h"

namespace heron::app {

/// All claims of the dossier, always in sight, in sections by assembly. The study in view is open and held against the
/// take in view; each other one is a line with a mark for each claim, against its newest take.
class LedgerView : public QScrollArea {
  Q_OBJECT

 public:
  explicit LedgerView(Desk* desk, QWidget* parent = nullptr);

 signals:
  void claim_asked();
  /// A study was chosen by hand: it is to be looked at.
  void study_asked();

 private:
  struct Entry {
    const dossier::Study* study;
    TakeViewPtr view;
    QString state;
    int worst = 0;  ///< how bad its worst verdict is
    bool open = false;
  };
  std::vector<Entry> entries();
  void refresh();
  void rebuild(const std::vector<Entry>& entries);
  void walk(int by);
  void reveal();

  Desk* desk_;
  QWidget* page_;
  QLabel* sum_;
  QPushButton *worst_, *bad_;
  QVBoxLayout* column_;
  QPushButton* write_ = nullptr;
  QList<StudyLine*> lines_;
  QList<LedgerRow*> rows_;         ///< of the open study
  std::vector<long long> shape_;  ///< of what is built: studies in order, the open one, its lines
};

}  // namespace heron::app
