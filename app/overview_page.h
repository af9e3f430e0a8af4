#pragma once
#include <QLabel>
#include <QLineEdit>
#include <qcustomplot.h>

#include "aside.h"
#include "desk.h"
#include "lenses/look_bar.h"
#include "overview_grid.h"

namespace heron::app {

/// Does the device keep its promises, on all its units: every claim with every unit, what all of it comes to in a sentence,
/// and of the chosen claim the values of all units with what they come to.
class OverviewPage : public QWidget {
  Q_OBJECT

 public:
  explicit OverviewPage(Desk* desk, QWidget* parent = nullptr);

  OverviewGrid* grid() const { return grid_; }
  const run::Overview* overview() const { return overview_.get(); }
  QString said() const { return said_->text(); }
  /// Chooses what the window looked at: its study's claim on the figure that is marked, else its first, on its take's unit.
  void find_in_view();

 signals:
  /// A claim on a unit is to be looked at.
  void opened();
  void batch_asked();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  /// What cells are held against: nothing, another unit, or what there was before a day.
  struct Against {
    std::string unit = {}, day = {};
    bool operator==(const Against&) const = default;
  };
  enum class Order { study, margin, verdict };
  enum class Only { all, fails, not_good, doubted, differs };
  struct Ready {
    std::shared_ptr<const run::Overview> overview;
    std::vector<std::string> all_units;
    QString trouble;
  };
  void reload();
  void arrange();
  bool wanted(const run::OverviewRow& row) const;
  void tell_statistics();
  void show_histogram(const QVector<double>& values);
  void open_cell();
  void copy();
  QString values_csv() const;
  void save_values();
  void choose_sought();
  void hold_against(Against against);
  void narrow(std::string& which, const std::string& to);
  QString against_words() const;

  Desk* desk_;
  QLabel* said_;
  LookBar* bar_;
  QLineEdit* words_;
  OverviewGrid* grid_;
  QWidget* drawer_;
  QLabel *drawer_title_, *drawer_text_;
  QCustomPlot* plot_;
  QCPAxisRect* counts_;
  Against against_;
  bool across_takes_ = false;
  std::string only_kind_ = {}, only_unit_ = {};  ///< empty: all
  std::vector<std::string> all_units_;
  std::shared_ptr<const run::Overview> overview_;
  QSet<QString> folded_;
  Order order_ = Order::study;
  Only only_ = Only::all;
  bool sought_ = false;
  Aside working_{this};
};

}  // namespace heron::app
