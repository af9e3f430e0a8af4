#pragma once
#include <QTableWidget>

#include "bode_lens.h"

class QLineEdit;

namespace heron::app {

/// Takes and units against each other: over the wake, apart from it, or as mean and band; each with its verdicts.
class CompareLens : public Lens {
  Q_OBJECT

 public:
  explicit CompareLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return bode_->plot(); }
  bool handle_key(int key) override { return bode_->handle_key(key); }
  QList<CursorCard> cards() const override { return bode_->cards(); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  QList<long long> compared() const;

  BodeLens* bode_;
  QTableWidget* table_;
  QLabel* said_;
  QLineEdit* normalise_;
};

}  // namespace heron::app
