#pragma once
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QTableWidget>

#include "session.h"

namespace heron::app {

/// The device: its units, and its parts with nominal and fitted values. A fitted value is what the simulated bench
/// solves and what expectations are computed from; without one, every unit has its own parts within their tolerances.
class DevicePage : public QWidget {
  Q_OBJECT

 public:
  explicit DevicePage(Session* session, QWidget* parent = nullptr);

 private:
  void refill();

  Session* session_;
  QLineEdit* title_;
  QLineEdit* about_;
  QComboBox* units_;
  QTableWidget* parts_;
  QLabel* refusal_;
  QLabel* ratings_;
  bool filling_ = false;
};

}  // namespace heron::app
