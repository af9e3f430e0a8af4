#pragma once
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "app/aside.h"
#include "app/lenses/lens.h"
#include "study/repeated.h"

namespace heron::app {

/// Reads each repetition of a take by itself, in whichever thread calls it.
/// @param asked  figures that claims ask for
using EachPass = std::function<Result<std::vector<study::Repeated>>(const TakeView& view, const study::SettingsText& settings,
                                                                   const std::vector<std::string>& asked)>;

/// Every figure over the repetitions of the take in view: mean, sigma, extremes; the chosen one drawn over its passes, with
/// its histogram beside. A pass that is chosen is shown in the record.
class RepetitionsLens : public Lens {
  Q_OBJECT

 public:
  RepetitionsLens(Desk* desk, QWidget* parent, EachPass each_pass);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  const std::vector<study::Repeated>& repeated() const { return repeated_; }
  /// False where no repetition has that figure, or they are not read yet.
  bool choose(const std::string& key);

 protected:
  void showEvent(QShowEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void reload();
  void fill();
  void draw();
  const study::Repeated* chosen() const;

  EachPass each_pass_;
  QLabel* words_;
  QTableWidget* table_;
  QCustomPlot* plot_;
  QCPAxisRect *over_passes_, *beside_;
  QPushButton *to_lowest_, *to_highest_;
  std::vector<study::Repeated> repeated_;
  std::string chosen_;  ///< key
  Aside reading_{this};
};

}  // namespace heron::app
