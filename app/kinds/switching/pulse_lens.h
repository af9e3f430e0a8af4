#pragma once
#include "app/aside.h"
#include "app/lenses/over_time_lens.h"
#include "switching_view.h"

namespace heron::app {

/// The whole record of a shot over time, a panel a quantity; a click on an event enlarges it, a double click shows all.
class PulseLens : public OverTimeLens {
  Q_OBJECT

 public:
  explicit PulseLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void renew() override;
  std::vector<int> points() const override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct Ready {
    std::vector<study::switching::ReadShotPtr> shots;
    /// Of the wake and of the takes that lie over it.
    struct Other {
      int number = 0;
      bool wake = false;
      std::vector<study::switching::ReadShotPtr> shots;
    };
    std::vector<Other> others;
  };
  void show_shot();
  void mark_figure();

  Ready ready_;
  study::switching::ReadShotPtr shot_;  ///< that is drawn
  QPointF pressed_;
  Aside working_{this};
};

}  // namespace heron::app
