#pragma once
#include <QScrollArea>

#include "desk.h"

namespace heron::app {

/// One claim: verdict, text, value, and its margin bar.
class LedgerRow : public QWidget {
  Q_OBJECT

 public:
  LedgerRow(run::LedgerLine line, QWidget* parent);
  QSize sizeHint() const override { return {200, 38}; }
  QSize minimumSizeHint() const override { return {120, 38}; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  run::LedgerLine line_;
};

/// All claims of the dossier, always in sight: the study in view against the take in view, the others against their
/// newest.
class LedgerView : public QScrollArea {
  Q_OBJECT

 public:
  explicit LedgerView(Desk* desk, QWidget* parent = nullptr);

 signals:
  void claim_asked();

 private:
  void rebuild();

  Desk* desk_;
};

}  // namespace heron::app
