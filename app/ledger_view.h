#pragma once
#include <QScrollArea>

#include "session.h"

namespace heron::app {

/// One claim: verdict, text, value, and its margin bar.
class LedgerRow : public QWidget {
  Q_OBJECT

 public:
  LedgerRow(dossier::LedgerLine line, QWidget* parent);
  QSize sizeHint() const override { return {200, 38}; }
  QSize minimumSizeHint() const override { return {120, 38}; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  dossier::LedgerLine line_;
};

/// All claims of the dossier, always in sight: the study in view against the take in view, the others against their
/// newest.
class LedgerView : public QScrollArea {
  Q_OBJECT

 public:
  explicit LedgerView(Session* session, QWidget* parent = nullptr);

 signals:
  void claim_asked();

 private:
  void rebuild();

  Session* session_;
};

}  // namespace heron::app
