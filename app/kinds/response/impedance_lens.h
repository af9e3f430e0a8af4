#pragma once
#include <QTableWidget>

#include "app/aside.h"
#include "bode_lens.h"

class QLineEdit;

namespace heron::app {

/// |Z| and angle over frequency, and a card that reads the part: L, C, R, Q at test frequencies, the fixture's
/// standards, the equivalent circuit.
class ImpedanceLens : public Lens {
  Q_OBJECT

 public:
  explicit ImpedanceLens(Desk* desk, QWidget* parent = nullptr);

  QList<CursorCard> cards() const override { return bode_->cards(); }
  QCustomPlot* plot() override { return bode_->plot(); }
  bool handle_key(int key) override { return bode_->handle_key(key); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  /// @param at  Hz, of each column
  void show_component(const std::vector<double>& at, const study::Reading& reading);
  QWidget* make_card();

  BodeLens* bode_;
  QTableWidget* readings_;
  QLineEdit* frequencies_;
  QTableWidget* circuit_;
  QList<std::pair<std::string, QPushButton*>> standards_;
  QPushButton* fit_;
  QLabel* trouble_;
  Aside component_{this};
};

}  // namespace heron::app
