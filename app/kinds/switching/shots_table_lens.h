#pragma once
#include <QTableWidget>

#include "app/aside.h"
#include "app/lenses/lens.h"
#include "switching_view.h"

namespace heron::app {

/// Every shot of the take in view: what was set, what was read. Enter opens a shot; Ctrl+C copies all in SI numbers.
class ShotsTableLens : public Lens {
  Q_OBJECT

 public:
  explicit ShotsTableLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refill();
  void fill();
  void copy();

  QTableWidget* table_;
  std::vector<study::switching::ReadShotPtr> shots_;
  Aside working_{this};
};

}  // namespace heron::app
