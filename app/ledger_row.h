#pragma once
#include <QAbstractButton>
#include <vector>

#include "run/ledger.h"

namespace heron::app {

/// One claim: verdict, text, value, and its margin bar.
class LedgerRow : public QWidget {
  Q_OBJECT

 public:
  LedgerRow(run::LedgerLine line, QWidget* parent);
  void set_line(run::LedgerLine line);
  QSize sizeHint() const override { return {200, 38}; }
  QSize minimumSizeHint() const override { return {120, 38}; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  run::LedgerLine line_;
};

/// One study: its name and, folded, a mark for each claim whose shape says the verdict.
class StudyLine : public QAbstractButton {
  Q_OBJECT

 public:
  StudyLine(long long study, QWidget* parent);
  long long study() const { return study_; }
  /// @param state  "take 2", "reading...", "not taken"
  void show_study(const QString& name, const QString& state, const std::vector<judge::Verdict>& verdicts, bool open);
  const std::vector<judge::Verdict>& verdicts() const { return verdicts_; }
  const QString& state() const { return state_; }

 signals:
  void walked(int by);

 protected:
  void paintEvent(QPaintEvent*) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  long long study_;
  QString state_;
  std::vector<judge::Verdict> verdicts_;
  bool open_ = false;
};

}  // namespace heron::app
