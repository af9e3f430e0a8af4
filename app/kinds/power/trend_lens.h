#pragma once
#include <QTableWidget>
#include <memory>

#include "app/lenses/take_lens.h"
#include "power_kind_view.h"
#include "render/plot_parts.h"

namespace heron::app {

/// Readings over hours: mean between lowest and highest of each quantity, what a watch caught as ticks, and the log below. A
/// click on a tick or Enter on a line of the log opens the raw record, where one was kept.
class TrendLens : public TakeLens {
  Q_OBJECT

 public:
  explicit TrendLens(Desk* desk, QWidget* parent = nullptr);
  ~TrendLens() override;
  int ticks() const { return int(ticks_.size()); }

 protected:
  void prepare(const TakeViewPtr& view) override;
  void clear() override;
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void draw();
  QString quantity_name(std::size_t k) const;

  QTableWidget* log_;
  std::vector<std::unique_ptr<render::LongGraph>> graphs_;
  QList<QCPItemStraightLine*> ticks_;
  study::power::Trend trend_;
  std::vector<std::string> quantities_;
  std::size_t quantity_ = 0;
  double per_ = 1;  ///< s of the unit that times are told in
  QColor ink_;
};

}  // namespace heron::app
