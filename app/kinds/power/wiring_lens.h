#pragma once
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "app/aside.h"
#include "app/lenses/lens.h"
#include "study/power/check.h"

namespace heron::app {

/// What each channel is said to be and what it looks like, and what would explain a disagreement; its remedy re-assigns
/// channels, raw data stay as they were.
class WiringLens : public Lens {
  Q_OBJECT

 public:
  explicit WiringLens(Desk* desk, QWidget* parent = nullptr);
  QString said() const { return said_->text(); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  struct Ready {
    study::power::WiringCheck check;
    std::vector<std::pair<std::string, std::string>> remedy;  ///< settings of the best explanation
    std::vector<std::string> set;                             ///< wires that settings say already
    QString trouble;
  };
  void reload();
  void fill(const Ready& ready);

  QLabel* said_;
  QTableWidget* table_;
  QPushButton *apply_, *undo_;
  Ready ready_;
  Aside working_{this};
};

}  // namespace heron::app
