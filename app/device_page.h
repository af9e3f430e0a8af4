#pragma once
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QTableWidget>

#include "desk.h"

namespace heron::app {

/// The device: its units, its parts with nominal and fitted values, its ratings, and what it should do by its parts. A
/// fitted value is what the simulated bench
/// solves and what expectations are computed from; without one, every unit has its own parts within their tolerances.
class DevicePage : public QWidget {
  Q_OBJECT

 public:
  explicit DevicePage(Desk* desk, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void fill();
  void refill_ratings();
  void refill_expectations();

  Desk* desk_;
  QLineEdit* title_;
  QLineEdit* about_;
  QLineEdit *device_note_, *serial_, *unit_note_;
  QComboBox* units_;
  QTableWidget* parts_;
  QLabel* refusal_;
  QTableWidget* ratings_;
  QTableWidget* expectations_;
  bool filling_ = false;
  bool stale_ = true;  ///< what is shown is older than the device
};

}  // namespace heron::app
